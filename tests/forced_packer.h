/*
 * A packer that knows one coding only, and so decides how a session sends content.
 *
 *     struct forced_packer forced;
 *     forced_packer_init(&forced, pack_packer(pack), WRY_CODING_LZMA, false);
 *     config.packer = &forced.packer;
 */
#ifndef WRY_TESTS_FORCED_PACKER_H
#define WRY_TESTS_FORCED_PACKER_H

#include "wrytograph/packer.h"

struct forced_packer {
    struct wry_packer packer;
    const struct wry_packer *honest;
    uint8_t coding;
    bool down;
    unsigned begun; /* streams */
    uint8_t filter; /* of the latest one */
};

void forced_packer_init(struct forced_packer *forced, const struct wry_packer *honest,
                        uint8_t coding, bool down);

#endif
