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
    WRY_FINDING_SILENT,      /* nothing at all */
    WRY_FINDING_LOW,         /* zeros only: the line is held low */
    WRY_FINDING_ECHO,        /* our own frames came back */
    WRY_FINDING_STRAP,       /* readable text of a running program */
    WRY_FINDING_WIRING,      /* loading mode is reached, but with another wiring */
    WRY_FINDING_DEAF,        /* the boot ROM says loading mode, and the loader does not answer */
    WRY_FINDING_OTHER_SPEED, /* text or a loader, but at another speed */
    WRY_FINDING_NO_GROUND,   /* bytes from nowhere, even in reset */
    WRY_FINDING_GARBAGE,     /* bytes that make no sense at any speed */
    WRY_FINDING_NOISE,       /* the loader answers, but frames are damaged */
    WRY_FINDING_SLOW,        /* all is well, but not at the speeds that both sides could do */
    WRY_FINDING_BROWN_OUT,   /* the board restarts when it works hard */
    WRY_FINDING_FADES,       /* the loader stops answering when it works hard */
};

/* A word for JSON and logs, such as "strap". Never NULL. */
const char *wry_finding_name(enum wry_finding finding);

/* What speaks for it. */
enum wry_evidence_kind {
    WRY_EVIDENCE_HEARD,           /* counts: what came while the board was called in vain */
    WRY_EVIDENCE_LOADER,          /* a loader answers at speed */
    WRY_EVIDENCE_WIRING,          /* a loader answers with wiring */
    WRY_EVIDENCE_WORKS,           /* the same, also under load */
    WRY_EVIDENCE_LOADING_TEXT,    /* boot text that says loading mode, at the ROM's own speed */
    WRY_EVIDENCE_TEXT,            /* readable text at speed */
    WRY_EVIDENCE_RESTARTED,       /* boot text in the middle of the work */
    WRY_EVIDENCE_FELL_SILENT,     /* answers at first, then none */
    WRY_EVIDENCE_DAMAGED,         /* counts.frames_bad while length bytes were read at speed */
    WRY_EVIDENCE_SPEEDS_GIVEN_UP, /* counts.speed_steps_down of them; speed works, also under load
                                   */
};

struct wry_evidence {
    enum wry_finding finding;
    enum wry_evidence_kind kind;
    uint32_t speed;  /* baud; 0 = the board was not understood at any */
    uint32_t length; /* bytes */
    struct wry_session_stats counts;
    const struct wry_wiring *wiring; /* NULL = the one that was said, or the usual one */
    bool wirings_tried;              /* and none of the others reached loading mode */
    char *last_line; /* the last that was heard, printable; NULL = none was asked for */
};

/*
 * Judges what a session heard while it called in vain at one speed. The evidence may be taken of
 * any session that was initialised, as often as wanted; clear it each time.
 */
void wry_evidence_take(struct wry_evidence *evidence, const struct wry_session *session);

/* Frees what it holds; may be called again. */
void wry_evidence_clear(struct wry_evidence *evidence);

#ifdef __cplusplus
}
#endif

#endif
