/*
 * Events of a station at work: steps, progress, plans before anything is changed, and notes. An
 * event and what it points to are valid during the call only.
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
    WRY_EVENT_STEP_END, /* the step ends, with success or not */
    WRY_EVENT_PROGRESS, /* progress; at least every 100 ms of the link's time */
    WRY_EVENT_PLANNED,  /* planned: checked against the board; nothing has been changed yet */
    WRY_EVENT_COMPARED, /* comparison: a range was compared with the flash */
    WRY_EVENT_HEARD,    /* bytes, n: output of the board while listening */
    WRY_EVENT_RUN_STEP, /* run_step of a card begins */
    WRY_EVENT_NOTE,     /* note, and the members listed with it */
};

enum wry_phase {
    WRY_PHASE_CONNECT,
    WRY_PHASE_READ,
    WRY_PHASE_WRITE,
    WRY_PHASE_ERASE,
    WRY_PHASE_RESTORE,
    WRY_PHASE_SEND, /* a file crosses the console */
    WRY_PHASE_RECEIVE,
};

/* "connect", "read", "write", "erase", "restore", "send" or "receive". */
const char *wry_phase_name(enum wry_phase step);

/* The steps of a card, in their order. */
enum wry_run_step {
    WRY_RUN_CONNECT,
    WRY_RUN_CHECK, /* the card is for this board, and its content fits */
    WRY_RUN_BACKUP,
    WRY_RUN_ERASE,
    WRY_RUN_WRITE,
    WRY_RUN_VERIFY, /* the board's own digest of what was written */
    WRY_RUN_START,
};

/* "connect", "backup" and so on. */
const char *wry_run_step_name(enum wry_run_step step);

enum wry_note {
    WRY_NOTE_ONLY_ADAPTER,     /* text = the only adapter, used since no link was given */
    WRY_NOTE_BY_HAND,          /* the user must now put the board into loading mode */
    WRY_NOTE_BY_HAND_RUNS,     /* its program is running: the strap was not held */
    WRY_NOTE_BY_HAND_LOADING,  /* the boot ROM reports loading mode */
    WRY_NOTE_BY_HAND_ANSWERED, /* the loader answers */
    WRY_NOTE_FLASH_BUSY,       /* waits for a flash operation from before the reset */
    WRY_NOTE_SLOWER,           /* speed: a faster one failed */
    WRY_NOTE_SIZE_MEASURED,    /* text = the size of the flash, by where its content repeats */
    WRY_NOTE_SPEED_KNOWN,      /* speed: faster ones failed lately and were not tried */
    WRY_NOTE_UNSETTLED, /* a job begun at text ("" = unknown) was interrupted: places with content
                           in the journal of this computer, and others */
    WRY_NOTE_JOURNAL_UNOPENED, /* text = why it is not known whether a job was interrupted */
    WRY_NOTE_JOURNAL_UNREAD,   /* text = why */
    WRY_NOTE_PUT_BACK,         /* places: sectors restored after an interrupted job */
    WRY_NOTE_NEWER,            /* places: sectors written since, and left alone */
    WRY_NOTE_BEYOND,           /* places: entries of the journal beyond the end of this flash */
    WRY_NOTE_SET_ASIDE,        /* text = a file with the content from before the interruption */
    WRY_NOTE_SET_ASIDE_AT_END, /* likewise, for a board that cannot be recognised later */
    WRY_NOTE_SET_ASIDE_FAILED, /* text = why */
    WRY_NOTE_SHARED_ADDRESS,   /* the board's address is used by several boards */
    WRY_NOTE_BLANK_BESIDE,   /* places: blank parts of sectors with content, as an interrupted write
                                by another computer leaves them */
    WRY_NOTE_NOT_FORGOTTEN,  /* text = why the journal could not be brought up to date */
    WRY_NOTE_KNOWN_UNUSABLE, /* text = why the index of known content is not used */
    WRY_NOTE_BACKUP_UNNOTED, /* text = why this backup will not be found later */
    WRY_NOTE_SHELF_UNREAD,   /* text = why the shelf is not used */
    WRY_NOTE_OWNER_UNKNOWN,  /* text = why the owner of these settings is not known */
    WRY_NOTE_LEDGER_FAILED,  /* text = why this job is not recorded */
    WRY_NOTE_LEDGER_WAITS,   /* n rows wait for the ledger's server; text = why the last attempt
                                failed, or NULL */
    WRY_NOTE_LEDGER_EXPOSED, /* rows are sent unencrypted to another computer; text = the server */
    WRY_NOTE_OTHER_BOARD,    /* the archive comes from board address, this is own_address */
    WRY_NOTE_STARTED,        /* the board has left loading mode */
    WRY_NOTE_LISTENING,      /* speed */
    WRY_NOTE_READABLE,       /* speed */
    WRY_NOTE_UNREADABLE,     /* other_speed: speed is tried now */
    WRY_NOTE_UNREADABLE_AT_ANY, /* not readable at any usual speed */
    WRY_NOTE_SEEN,              /* text = what was expected */
    WRY_NOTE_NOT_SEEN,          /* text = what was expected; the steps continue */
    WRY_NOTE_LINE_END_TRIED,    /* text = line ending tried next: the line was not answered */
    WRY_NOTE_LINE_END_WORKS,    /* text = line ending that the board accepts */
    WRY_NOTE_LINE_UNANSWERED,   /* a line was sent, and the board has not answered */
    WRY_NOTE_IN_LOADING_MODE,   /* the boot ROM reports that the strap is held */
    WRY_NOTE_RESET_UNWIRED,     /* the board cannot be reset over this link */
    WRY_NOTE_RESET,             /* the board was reset */
    WRY_NOTE_NO_BREAK,          /* this link cannot send a break */
    WRY_NOTE_BREAK,             /* a break was sent */
    WRY_NOTE_BACKUPS_READ, /* backups that are new to this computer are read; text = how many of
                              how many files */
    WRY_NOTE_REPLACES,     /* text = programs and settings on the board that a restore replaces */
    WRY_NOTE_SENT,         /* text = a line that was sent, without secrets */
    WRY_NOTE_PORT_GONE,    /* the port disappeared while listening: waits for it */
    WRY_NOTE_PORT_BACK,    /* it is back */
    WRY_NOTE_SPEED_TRIED,  /* the board does not answer: speed is tried now; text = "3 of 9" */
    WRY_NOTE_TRANSFER_AWAITED, /* text = file: the other side is to begin with its transfer */
    WRY_NOTE_TRANSFERRED, /* text = file: transferred, both sides agree; progress: bytes, without
                             padding where it was received; other_speed = blocks repeated */
};

/* A stretch of flash. */
struct wry_place {
    uint32_t offset, length;
};

struct wry_comparison;

struct wry_event {
    enum wry_event_kind kind;
    uint64_t now;    /* us on the link's clock */
    uint32_t figure; /* how far the job is, or the run that it belongs to, in 1/1000: one figure
                        that does not fall, whatever its steps do */
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
    uint8_t address[WRY_EUI48_SIZE],
        own_address[WRY_EUI48_SIZE]; /* own_address: that of the connected board */
};

#ifdef __cplusplus
}
#endif

#endif
