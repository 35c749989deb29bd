/*
 * A simulated echo sounder: a module with its own chip, behind a gauge. Its boot menu takes an
 * image by XMODEM, checks it and runs it. The gauge's firmware passes bytes on to it.
 *
 *     sim_sounder_open(&sounder);             reset into its boot menu
 *     sim_sounder_input(&sounder, 'u', now);   ...
 *     n = sim_sounder_output(&sounder, bytes, sizeof bytes, now);
 */
#ifndef WRY_SIM_SOUNDER_H
#define WRY_SIM_SOUNDER_H

#include "wrytograph/xmodem.h"

#define SIM_SOUNDER_SIZE (256u * 1024u) /* bytes of its flash */

struct sim_sounder_faults {
    bool missing;  /* no module is connected */
    bool refuses;  /* it is another revision, and accepts no image */
    bool sum_only; /* an old one: it knows no CRCs */
    uint64_t dies; /* it fails for good after so many bytes of content; 0 = never */
};

enum sim_sounder_state {
    SIM_SOUNDER_APART, /* the gauge does not pass bytes on */
    SIM_SOUNDER_MENU,
    SIM_SOUNDER_RECEIVING,
    SIM_SOUNDER_DEAD, /* until it is opened again */
};

struct sim_sounder {
    struct sim_sounder_faults faults;
    /* Provides SIM_SOUNDER_SIZE bytes of flash when they are first needed; NULL: no module. */
    uint8_t *(*supply)(void *context);
    void *context;
    uint8_t *cells;
    enum sim_sounder_state state;
    struct wry_xmodem_receive receive;
    bool updates;    /* an update was begun since it was opened */
    uint32_t filled; /* bytes received */
    char text[256];  /* pending output */
    size_t length, said;
};

/* False if there is no module. */
bool sim_sounder_open(struct sim_sounder *sounder);

/* A byte from the gauge. now in us. */
void sim_sounder_input(struct sim_sounder *sounder, uint8_t byte, uint64_t now);

/* Up to room bytes to the gauge, at least 8; 0 if there are none now. */
size_t sim_sounder_output(struct sim_sounder *sounder, uint8_t *to, size_t room, uint64_t now);

/* Answer to the gauge's question for its version, as a line. */
void sim_sounder_version(struct sim_sounder *sounder, char *text, size_t room);

#endif
