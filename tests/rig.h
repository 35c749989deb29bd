/*
 * A simulated board with a session on it, all in memory and in virtual time.
 *
 *     struct rig *rig = rig_new(&(struct rig_setup){.seed = 7});
 *     CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
 *     rig_free(rig);
 */
#ifndef WRY_TESTS_RIG_H
#define WRY_TESTS_RIG_H

#include "sim/adapter.h"
#include "wrytograph/session.h"

#define RIG_KEPT_SECTORS 64u

struct rig_setup {
    uint64_t seed;
    uint16_t chip_code;  /* 0: Turnstone T2 */
    uint32_t flash_size; /* 0: 4 MiB */
    uint32_t max_speed;  /* of the session */
    struct sim_board_faults faults;
    bool blank;       /* else the flash begins with random content */
    bool plain_reads; /* content is read as it is, not packed */
};

struct rig {
    struct sim_board board;
    struct sim_adapter adapter;
    struct wry_session session;
    struct wry_session_config config;
    uint8_t *flash;
    uint8_t *before; /* the flash as it was at first */
    void *read_memory;
    struct wry_journal_sector *kept;
    uint32_t flash_size;
    unsigned reports;                  /* progress calls so far */
    struct wry_session_progress write; /* what the last one of a write said */
    unsigned stop_after;               /* asks to stop at that many; 0 = never */
};

struct rig *rig_new(const struct rig_setup *setup);
void rig_free(struct rig *rig);

/* A new session object on the same board, as a new process would have. */
void rig_new_session(struct rig *rig, uint32_t token);

/* Progress functions that mend what was cut, while the session looks for the board. */
bool rig_put_cable_back(void *context, const struct wry_session_progress *progress);
bool rig_switch_on_again(void *context, const struct wry_session_progress *progress);
/* A new session that is told by one of them. */
void rig_mend_by(struct rig *rig,
                 bool (*mend)(void *context, const struct wry_session_progress *progress));

/* A reader over bytes in memory. */
struct wry_reader rig_reader(const uint8_t *bytes);

/* Fills with seeded random bytes. */
void rig_random(uint8_t *to, size_t n, uint64_t seed);
/* Fills with text, runs, noise and repeats near and far, in all proportions. */
void rig_mixed(uint8_t *to, size_t n, uint64_t seed);

/*
 * True when the flash holds every placement's content (readers made by rig_reader), and what it
 * held before everywhere else.
 */
bool rig_holds(const struct rig *rig, const struct wry_placement *placements, size_t count);

#endif
