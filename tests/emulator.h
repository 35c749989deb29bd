/*
 * Machines of an emulator with the loader on them, whose flash is a file of this computer.
 *
 *     if (!emulator_prepare("arm", model_of_flash, size))
 *         return 77;
 *     emulator_boot_on_tcp();
 *     command("identify", NULL);
 *     CHECK(emulator_flash_is_right());
 *     emulator_end();
 */
#ifndef WRY_TESTS_EMULATOR_H
#define WRY_TESTS_EMULATOR_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum {
    EMULATOR_LONGEST = 20000, /* ms that anything is waited for */
};

struct emulator {
    const char *name;  /* "32" and "64": RISC-V; "arm" */
    const char *title; /* of its chip */
    uint16_t chip_code;
    const char *reported; /* of its usual flash, which has 32 MiB */
    uint32_t flash_size;  /* bytes */
    uint8_t *flash;       /* the file, as the emulator has it */
    uint8_t *model;       /* and as it has to be: blank at first */
    unsigned port;
    char terminal[64]; /* the pseudo-terminal, when the serial port is one */
};

/* Makes the program; NULL and a line about it if emulator or compiler are missing. */
struct emulator *emulator_new(const char *name);
void emulator_free(struct emulator *machine);

/* Puts a flash into the machine, blank; model: the emulator's name of it, NULL for the usual one.
 */
void emulator_put_flash(struct emulator *machine, const char *model, uint32_t size);
/* Writes the model of the flash into the file; only before it boots. */
void emulator_fill_flash(struct emulator *machine);

/* Makes another program of the board's folder, "echo", and runs it from now on. */
void emulator_use(struct emulator *machine, const char *program);

/* serial: of the emulator; "pty" sets the terminal. */
void emulator_boot(struct emulator *machine, const char *serial);
/* On a port, as the link of commands that name none. */
void emulator_boot_on_tcp(struct emulator *machine);
void emulator_power_off(struct emulator *machine);

/* All of the flash. What an emulator has told its host to write is in the file soon. */
bool emulator_flash_is_right(const struct emulator *machine);

/* Content into a file and into the model; "OFFSET=FILE", valid until the next call. */
const char *emulator_content(struct emulator *machine, uint32_t offset, const char *name,
                             const uint8_t *bytes, size_t n);

/* The option that makes the chip known, and its file. */
#define EMULATOR_CHIP "--chip-file", WRY_SOURCE_DIR "/boards/qemu-arm/chip.yaml"

#endif
