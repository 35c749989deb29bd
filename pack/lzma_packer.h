/* Packs bytes from a source as raw LZMA1, by liblzma. */
#ifndef WRY_PACK_LZMA_PACKER_H
#define WRY_PACK_LZMA_PACKER_H

#include <lzma.h>

#include "deflate_packer.h"

struct pack_lzma {
    struct pack_source source;
    bool begun, over, ended; /* over: the source is exhausted */
    uint32_t tail;           /* bytes still to be given after the end marker */
    size_t left;             /* bytes of the piece that liblzma does not have yet */
    lzma_stream stream;
    uint8_t piece[PACK_PIECE];
};

struct pack_lzma_form {
    bool quick;          /* in a fraction of the time, and some longer: for estimates */
    bool records;        /* it is a sequence of records: mostly zeros */
    bool thorough;       /* takes more time, for a shorter stream or a better estimate */
    uint8_t parameters;  /* see wry_lzma_init */
    uint32_t reach;      /* bytes that the stream may reach back */
    const uint8_t *old;  /* content that comes before it, read by begin; NULL: none */
    uint32_t old_length; /* bytes */
};

/* Begins a stream; lzma is zeroed before the first use. False if liblzma cannot. */
bool pack_lzma_begin(struct pack_lzma *lzma, const struct pack_source *source,
                     const struct pack_lzma_form *form);
/* Like wry_packer.give. */
bool pack_lzma_give(struct pack_lzma *lzma, uint8_t *to, size_t room, size_t *given);
/* Bytes taken from the source that are not encoded yet, approximately. */
uint32_t pack_lzma_behind(const struct pack_lzma *lzma);
void pack_lzma_end(struct pack_lzma *lzma);

#endif
