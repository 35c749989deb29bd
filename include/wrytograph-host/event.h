/*
 * What a station tells while it works: steps, progress, plans before anything is changed, and facts
 * worth a note. An event and what it points to last only as long as the call.
 *
 *     static void on_event(void *context, const struct wry_event *event)
 *     {
 *         if (event->kind == WRY_EVENT_PROGRESS && event->progress->total > 0)
 *             show(event->progress->done, event->progress->total);
 *     }
 */
#ifndef WRYTOGRAPH_HOST_EVENT_H
#define WRYTOGRAPH_HOST_EVENT_H

#include <stddef.h>
#include <stdint.h>

#include "wrytograph-host/planned.h"
#include "wrytograph/flash.h"
#include "wrytograph/session.h"

#ifdef __cplusplus
extern "C" {
#endif

enum wry_event_kind {
    WRY_EVENT_STEP,     /* a step begins: step */
    WRY_EVENT_STEP_END, /* and ends, well or not */
    WRY_EVENT_PROGRESS, /* progress; at least every 100 ms of the link's time */
    WRY_EVENT_PLANNED,  /* planned: checked against the board, and nothing is changed yet */
    WRY_EVENT_COMPARED, /* comparison: a stretch of content was compared with the flash */
    WRY_EVENT_HEARD,    /* bytes, n: the board said something while it is listened to */
    WRY_EVENT_RUN_STEP, /* run_step of a card begins */
    WRY_EVENT_NOTE,     /* note, with the facts that stand behind it */
};

enum wry_phase {
    WRY_PHASE_CONNECT,
    WRY_PHASE_READ,
    WRY_PHASE_WRITE,
    WRY_PHASE_ERASE,
    WRY_PHASE_RESTORE,
};

/* The steps of a card, in their order. */
enum wry_run_step {
    WRY_RUN_CONNECT,
    WRY_RUN_CHECK, /* that the card is for this board, and all that it brings fits it */
    WRY_RUN_BACKUP,
    WRY_RUN_ERASE,
    WRY_RUN_WRITE,
    WRY_RUN_VERIFY, /* the board's own digest of what was written */
    WRY_RUN_START,
};

/* "connect", "backup" and so on. */
const char *wry_run_step_name(enum wry_run_step step);

enum wry_note {
    WRY_NOTE_ONLY_ADAPTER,     /* text = the device that is used for want of a link */
    WRY_NOTE_BY_HAND,          /* now the user has to get the board into loading mode */
    WRY_NOTE_BY_HAND_RUNS,     /* what is heard is its program: the strap was not held */
    WRY_NOTE_BY_HAND_LOADING,  /* the boot ROM says loading mode */
    WRY_NOTE_BY_HAND_ANSWERED, /* and it answers */
    WRY_NOTE_FLASH_BUSY,       /* the flash is at work on what a reset interrupted: it is awaited */
    WRY_NOTE_SLOWER,           /* speed: a faster one did not hold */
    WRY_NOTE_SPEED_KNOWN,      /* speed: faster ones did not hold lately, and were not tried */
    WRY_NOTE_UNSETTLED,        /* a job was cut, begun at text ("" = unknown): places that have
                                  content in the journal of this computer, and others */
    WRY_NOTE_JOURNAL_UNOPENED, /* text = why: whether a job was cut is not known */
    WRY_NOTE_JOURNAL_UNREAD,   /* text = why */
    WRY_NOTE_PUT_BACK,         /* places: sectors that a cut job had put at risk */
    WRY_NOTE_NEWER,            /* places: written since by somebody else, and kept so */
    WRY_NOTE_BEYOND,           /* places: the journal has content where this flash has no sector */
    WRY_NOTE_SET_ASIDE,        /* text = a file that holds what stood there before the cut */
    WRY_NOTE_SET_ASIDE_AT_END, /* the same for a board that nobody will know again */
    WRY_NOTE_SET_ASIDE_FAILED, /* text = why */
    WRY_NOTE_SHARED_ADDRESS,   /* the board's address is not one of one board only */
    WRY_NOTE_BLANK_BESIDE,     /* places: blank beside content, as a cut elsewhere leaves it */
    WRY_NOTE_NOT_FORGOTTEN,    /* text = why the journal could not be brought up to date */
    WRY_NOTE_KNOWN_UNUSABLE,   /* text = why the index of known content is done without */
    WRY_NOTE_BACKUP_UNNOTED,   /* text = why it will not be known of later */
    WRY_NOTE_SHELF_UNREAD,     /* text = why the shelf is done without */
    WRY_NOTE_OWNER_UNKNOWN,    /* text = why it is not known whose settings those are */
    WRY_NOTE_LEDGER_FAILED,    /* text = why this job is not put on record */
    WRY_NOTE_LEDGER_WAITS,     /* n rows wait for the server that has the ledger; text = why the
                                  last attempt failed, or NULL */
    WRY_NOTE_LEDGER_EXPOSED,   /* rows go unencrypted to another computer; text = the server */
    WRY_NOTE_OTHER_BOARD,      /* the archive comes from board address, this is own_address */
    WRY_NOTE_STARTED,          /* the board has left loading mode */
    WRY_NOTE_LISTENING,        /* speed */
    WRY_NOTE_READABLE,         /* speed */
    WRY_NOTE_UNREADABLE,       /* other_speed: speed is tried now */
    WRY_NOTE_UNREADABLE_AT_ANY, /* of the usual speeds */
    WRY_NOTE_SEEN,              /* text = what was expected */
    WRY_NOTE_NOT_SEEN,          /* text = what was expected, and the steps go on */
    WRY_NOTE_LINE_END_TRIED,    /* text = name of another line ending: the line was not answered */
    WRY_NOTE_LINE_END_WORKS,    /* text = name of the one that the board wants */
    WRY_NOTE_LINE_UNANSWERED,   /* a line was sent, and nothing was heard since */
    WRY_NOTE_IN_LOADING_MODE,   /* the boot ROM says that the strap is held */
    WRY_NOTE_RESET_UNWIRED,     /* the board cannot be reset over this link */
    WRY_NOTE_RESET,             /* it was */
    WRY_NOTE_NO_BREAK,          /* this link cannot send a break */
    WRY_NOTE_BREAK,             /* it was sent */
};

/* A stretch of flash. */
struct wry_place {
    uint32_t offset, length;
};

struct wry_comparison;

struct wry_event {
    enum wry_event_kind kind;
    uint64_t now; /* us on the link's clock */
    enum wry_phase step;
    enum wry_run_step run_step;
    const struct wry_session_progress *progress;
    const struct wry_planned *planned;
    const struct wry_comparison *comparison;
    const uint8_t *bytes;
    size_t n;
    enum wry_note note;
    const char *text;
    uint32_t speed, other_speed;             /* baud */
    const struct wry_place *places, *others; /* ends with length 0; NULL = none */
    uint8_t address[WRY_EUI48_SIZE], own_address[WRY_EUI48_SIZE]; /* of the board at hand */
};

#ifdef __cplusplus
}
#endif

#endif
