/*
 * A spool: a temporary file without a name, for content that must not sit in memory. It is gone
 * when it is freed and when the process ends in any other way.
 */
#pragma once

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
bool spool_read(const struct spool *spool, uint64_t offset, uint8_t *to, size_t n);

enum {
    SPOOL_PIECE = 16384, /* bytes that are worth a call */
};

/*
 * Gathers what is written in order, so that it goes into the spool in large pieces. What it holds
 * is in the spool after spool_gather_end; both return false when the disk is full or fails.
 *
 *     struct spool_gather gather = {.spool = spool};
 */
struct spool_gather {
    struct spool *spool;
    uint64_t offset; /* of what it holds */
    size_t fill;
    uint8_t bytes[SPOOL_PIECE];
};

bool spool_gather_put(struct spool_gather *gather, uint64_t offset, const uint8_t *bytes, size_t n);
bool spool_gather_end(struct spool_gather *gather);

/* The descriptor, which stays the spool's. */
int spool_descriptor(const struct spool *spool);
