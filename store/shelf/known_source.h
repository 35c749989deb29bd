/* Files of the index of known content, for reading. */
#pragma once

#include "store/shelf/known_index.h"

struct known_source;

/* NULL if it does not exist or is of another kind. */
struct known_source *known_source_open(const char *path, enum known_kind kind);
void known_source_close(struct known_source *source);

/* Reads n bytes from at; false if it does not have them. */
bool known_source_read(const struct known_source *source, uint32_t at, uint8_t *to, size_t n);
/* The last component of its path. */
const char *known_source_name(const struct known_source *source);
