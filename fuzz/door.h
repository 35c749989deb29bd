/* What all fuzz targets share: a claim that must hold, and input as a file. */
#ifndef WRY_FUZZ_DOOR_H
#define WRY_FUZZ_DOOR_H

#include <stddef.h>
#include <stdint.h>

/* A finding, with the line that made it. */
#define MUST(claim)                                                                                \
    do {                                                                                           \
        if (!(claim))                                                                              \
            door_broken(__FILE__, __LINE__, #claim);                                               \
    } while (0)

_Noreturn void door_broken(const char *file, int line, const char *claim);

/* The library's entry. */
int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n);

/* A folder of this process, in memory where there is a place for that; it goes at the end. */
const char *door_folder(void);

/* Puts bytes into a file of that name there. The path is valid until the next call. */
const char *door_file(const char *name, const uint8_t *bytes, size_t n);

/* Input that is taken piece by piece; what is not there is 0. */
struct door_input {
    const uint8_t *bytes;
    size_t n, at;
};

uint8_t door_byte(struct door_input *input);
uint32_t door_number(struct door_input *input); /* of four bytes, little-endian */

#endif
