/*
 * What is wrong with a link, judged from what was heard on it.
 *
 *     struct wry_evidence evidence;
 *     wry_evidence_take(&evidence, &session);
 *     if (evidence.finding == WRY_FINDING_STRAP)
 *         puts("the boot strap was not held through reset");
 *     wry_evidence_clear(&evidence);
 */
#ifndef WRYTOGRAPH_HOST_FINDING_H
#define WRYTOGRAPH_HOST_FINDING_H

#include <stdbool.h>
#include <stdint.h>

#include "wrytograph-host/wiring.h"
#include "wrytograph/session.h"

#ifdef __cplusplus
extern "C" {
#endif

enum wry_finding {
    WRY_FINDING_GOOD,
    WRY_FINDING_SILENT,      /* nothing heard */
    WRY_FINDING_LOW,         /* only zeros: the line is held low */
    WRY_FINDING_ECHO,        /* our own frames came back */
    WRY_FINDING_STRAP,       /* text of a running program */
    WRY_FINDING_WIRING,      /* loading mode works, but with another wiring */
    WRY_FINDING_DEAF,        /* the boot ROM reports loading mode, but the loader does not answer */
    WRY_FINDING_OTHER_SPEED, /* text or a loader, at another speed */
    WRY_FINDING_NO_GROUND,   /* stray bytes, even in reset */
    WRY_FINDING_GARBAGE,     /* bytes that are not readable at any speed */
    WRY_FINDING_NOISE,       /* the loader answers, but frames are damaged */
    WRY_FINDING_SLOW,        /* reliable, but not at the highest speed of both sides */
    WRY_FINDING_BROWN_OUT,   /* the board restarts under load */
    WRY_FINDING_FADES,       /* the loader stops answering under load */
    WRY_FINDING_STRAP_HELD,  /* the board enters loading mode at every reset */
};

/* A word for JSON and logs, such as "strap". Never NULL. */
const char *wry_finding_name(enum wry_finding finding);

/* What a finding is based on. */
enum wry_evidence_kind {
    WRY_EVIDENCE_HEARD,  /* counts: what was heard while the board was called without success */
    WRY_EVIDENCE_LOADER, /* a loader answers at speed */
    WRY_EVIDENCE_WIRING, /* a loader answers with wiring */
    WRY_EVIDENCE_WORKS,  /* the same, also under load */
    WRY_EVIDENCE_LOADING_TEXT,    /* boot text that reports loading mode, at the ROM's speed */
    WRY_EVIDENCE_TEXT,            /* readable text at speed */
    WRY_EVIDENCE_RESTARTED,       /* boot text during the work */
    WRY_EVIDENCE_FELL_SILENT,     /* answers at first, none later */
    WRY_EVIDENCE_DAMAGED,         /* counts.frames_bad while length bytes were read at speed */
    WRY_EVIDENCE_SPEEDS_GIVEN_UP, /* counts.speed_steps_down speeds failed; speed works, also under
                                     load */
    WRY_EVIDENCE_LOADING_AGAIN, /* the loader works, and after a start the boot ROM reports loading
                                   mode again */
};

struct wry_evidence {
    enum wry_finding finding;
    enum wry_evidence_kind kind;
    uint32_t speed;  /* baud; 0 = the board was not understood at any speed */
    uint32_t length; /* bytes */
    struct wry_session_stats counts;
    const struct wry_wiring *wiring; /* NULL = the given or usual wiring */
    bool wirings_tried;              /* no other wiring reached loading mode */
    char *last_line;                 /* last line heard, printable; NULL = not asked for */
    bool no_lines;                   /* the adapter's outputs are not wired to reset and strap */
    bool by_hand;                    /* the board was called while somebody pressed its buttons */
};

/*
 * Judges what a session heard while it called a board without success at one speed. It works for
 * any initialised session and may be repeated; clear the evidence each time.
 */
void wry_evidence_take(struct wry_evidence *evidence, const struct wry_session *session);

/* Frees the members. It may be called again. */
void wry_evidence_clear(struct wry_evidence *evidence);

#ifdef __cplusplus
}
#endif

#endif
