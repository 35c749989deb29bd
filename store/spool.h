/*
 * A spool: a temporary file without a name, for content that must not sit in memory. It is gone
 * when it is freed and when the process ends in any other way.
 */
#ifndef WRY_STORE_SPOOL_H
#define WRY_STORE_SPOOL_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>

struct spool;

/* folder: where the file takes its space; NULL for the system's folder of temporary files. */
struct spool *spool_new(const char *folder, GError **error);
void spool_free(struct spool *spool);

/* Any order; what was never written reads as 0. False when the disk is full or fails. */
bool spool_write(struct spool *spool, uint64_t offset, const uint8_t *bytes, size_t n);
/* What is put into it in order goes into the spool in large pieces; the last one at the end. */
struct spool_gather {
    struct spool *spool;
    uint64_t offset; /* of what it holds */
    size_t fill;
    uint8_t bytes[16384];
};

bool spool_gather_put(struct spool_gather *gather, uint64_t offset, const uint8_t *bytes, size_t n);
bool spool_gather_end(struct spool_gather *gather);

bool spool_read(const struct spool *spool, uint64_t offset, uint8_t *to, size_t n);

/* The descriptor, which stays the spool's. */
int spool_descriptor(const struct spool *spool);

#endif
