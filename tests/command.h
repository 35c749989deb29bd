/*
 * Runs the real command (or an example) as a process of its own and keeps what it said.
 *
 *     struct said said = command("identify", "--link", "bench:gauge-1", NULL);
 *     CHECK_EQUAL(0, said.code);
 *     CHECK(says(&said, "Turnstone T2"));
 *
 * All runs share one temporary folder with a bench in it, removed at the end of the program.
 */
#ifndef WRY_TESTS_COMMAND_H
#define WRY_TESTS_COMMAND_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct said {
    int code;              /* exit code; -1 when the process did not exit by itself */
    const char *out, *err; /* valid until the next run */
};

/* Folder of this program's temporary files. */
const char *scratch(void);
/* A file in it; valid until the program ends. */
const char *scratch_file(const char *name);
void scratch_write(const char *name, const void *bytes, size_t n);
/* The whole content; free with g_free. NULL when it cannot be read. */
uint8_t *scratch_read(const char *name, size_t *n);
void scratch_remove(void);

/* Where the command under test lies. */
const char *command_path(void);
struct said command(const char *first, ...) __attribute__((sentinel));
/* program: a name to look up, or "bin/NAME" for one that this build made. */
struct said run_program(const char *program, const char *first, ...) __attribute__((sentinel));

/* The demo images: start.bin, regions.bin, gauge.bin, returned-1.bin and so on. */
void scratch_make_images(void);
/* A Turnstone T2 with 4 MiB of flash on the bench, as returned-1.bin left it. */
void scratch_add_gauge(const char *name);
/* The same, with a fault ("none" for none), as the link of commands that name none. */
void scratch_use_gauge(const char *name, const char *fault);
/* Text into a file of that name. */
void scratch_text(const char *name, const char *text);
/* The peer program of that name, as tests/peers has it; valid until the program ends. */
const char *peer(const char *name);

/* True when the board's flash is to the byte as given. */
bool scratch_flash_is(const char *name, const uint8_t *bytes, size_t n);
/* Its content; free with g_free. */
uint8_t *scratch_flash(const char *name, size_t *n);
/* "PLACE=FOLDER/FILE", valid until the program ends. */
const char *placed(const char *place, const char *file);

/* True when text stands in either output. */
bool says(const struct said *said, const char *text);

/* Checks exit code and text in one go, and prints what was said when they do not hold. */
#define EXPECT(code, text, said) expect(code, text, said, __FILE__, __LINE__)
void expect(int code, const char *text, struct said said, const char *file, int line);

#endif
