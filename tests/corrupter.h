/*
 * Between a true board and the host: tells the truth for a while, then bends what it passes on, one
 * field at a time, in good frames.
 *
 *     corrupter_begin(&t, rig, seeded, &random);
 *     rig->session.port = &t.port;
 */
#ifndef WRY_TESTS_CORRUPTER_H
#define WRY_TESTS_CORRUPTER_H

#include "rig.h"
#include "wrytograph/frame.h"

struct corrupter {
    const struct wry_port *inner;
    uint64_t (*draw)(void *from); /* decides all that it does */
    void *from;
    unsigned truthful; /* frames left to pass as they are */
    unsigned one_in;   /* of the others is bent */
    unsigned bent[256];
    struct wry_decoder decoder;
    uint8_t body[WRY_BODY_MAX + WRY_FRAME_FCS_SIZE];
    uint8_t line[WRY_FRAME_WORST(WRY_BODY_MAX)];
    size_t fill, at;
    struct wry_port port;
};

/* Puts it in front of the rig's adapter. What it draws decides also when it begins to lie. */
void corrupter_begin(struct corrupter *t, struct rig *rig, uint64_t (*draw)(void *from),
                     void *from);

/* One that draws by a seed: from is a uint64_t, the state of sim_random. */
uint64_t corrupter_seeded(void *from);

#endif
