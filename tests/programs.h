/* Made-up programs with a boot header, as files in the scratch folder. */
#ifndef WRY_TESTS_PROGRAMS_H
#define WRY_TESTS_PROGRAMS_H

#include <stdint.h>

#include "wrytograph/boot_header.h"

/* A Turnstone T2's application of so many bytes; fields may be changed before it is written. */
struct wry_boot_header program_header(const char *version, uint32_t body_length);

/* Header, body and digest. */
void program_write(const char *name, const struct wry_boot_header *header);

#endif
