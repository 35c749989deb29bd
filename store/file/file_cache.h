/*
 * What was found out about files by this process, so that fifty boards that get the same file do
 * not have it digested hundreds of times. A file counts as the same as long as device, number, size
 * and both times are; one that was written to in the last seconds is looked at anew each time.
 *
 *     if (!file_cache_digest(file, sha256))
 *         ...
 */
#ifndef WRY_STORE_FILE_FACTS_H
#define WRY_STORE_FILE_FACTS_H

#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/bytes.h"

/* SHA-256 of an open plain file. False with errno when it cannot be read. */
bool file_cache_digest(int file, uint8_t sha256[WRY_SHA256_SIZE]);

/* Facts about content, as texts that say what and of which digest. */
bool file_cache_knows(const char *fact);
void file_cache_learn(const char *fact);

#endif
