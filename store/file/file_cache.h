/*
 * A cache of results that are expensive to compute: one image that goes to fifty boards is hashed
 * and checked once. It lives as long as the process, is shared by all its threads and locks itself.
 * When it is full (4,096 entries) it is emptied: every entry can be computed again.
 *
 *     if (!file_cache_digest(file, sha256))
 *         ...
 */
#pragma once

#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/bytes.h"

/*
 * SHA-256 of an open plain file. False with errno if it cannot be read.
 *
 * A file is taken as unchanged while its device, inode, size, mtime and ctime are. One that was
 * changed in the last two seconds is hashed every time, since two writes within one clock tick have
 * the same times.
 */
bool file_cache_digest(int file, uint8_t sha256[WRY_SHA256_SIZE]);

enum file_fact_kind {
    FILE_FACT_BODY_FITS,    /* the body after the boot header at number has the digest it states */
    FILE_FACT_INDEXED,      /* the file at path is in the index in folder, from byte number on */
    FILE_FACT_NOT_MISTAKEN, /* the content is no web page, document or archive */
    FILE_FACT_TABLES_READY, /* the journal at path with the inode number has its tables */
};

/* A fact: its kind and what it is about. Members that a kind does not name are 0 or NULL. */
struct file_fact {
    enum file_fact_kind kind;
    uint8_t sha256[WRY_SHA256_SIZE]; /* of the content */
    uint64_t number;
    const char *path, *folder;
};

/* True after file_cache_learn of an equal fact. Strings are compared as bytes, and copied. */
bool file_cache_knows(const struct file_fact *fact);
void file_cache_learn(const struct file_fact *fact);
