/*
 * The jobs for other languages: functions whose arguments and results are pointers, numbers and
 * UTF-8 texts, and nothing else. A foreign function interface needs no header, and no struct that
 * may grow.
 *
 *     struct wry_plain *jig = wry_plain_new();
 *     wry_plain_set(jig, "link", "/dev/ttyUSB0");
 *     wry_plain_set(jig, "image", "app=gauge.bin");
 *     if (wry_plain_do(jig, "write") != 0)
 *         puts(wry_plain_text(jig, "problem"));
 *     wry_plain_free(jig);
 *
 * A jig is one board's place. It belongs to one thread at a time.
 */
#ifndef WRYTOGRAPH_HOST_PLAIN_H
#define WRYTOGRAPH_HOST_PLAIN_H

#ifdef __cplusplus
extern "C" {
#endif

struct wry_plain;

struct wry_plain *wry_plain_new(void);
/* Ends a run that was begun, and leaves the board. NULL is allowed. */
void wry_plain_free(struct wry_plain *jig);

/*
 * Sets an option. Once given: "link", "bench", "wiring", "speed" (baud), "expect-chip",
 * "expect-flash" (bytes), "chip-file", "layout", "ledger" ("" for the user's), "backup-folder",
 * "leaves-running" and "any-content" ("1"). Given for each: "image" (PLACE=FILE or FILE), "set" and
 * "set-new" (KEY=VALUE or REGION/KEY=VALUE), "part" (of backup and erase). "none" with the name of
 * one of these as its value forgets what was given. Those of the station count only before the
 * first job. Returns 0, or 2 if the name or the value is wrong: "problem" then says why.
 */
int wry_plain_set(struct wry_plain *jig, const char *name, const char *value);

/*
 * Called while a job works, at least every 100 ms of the link's time, in the thread of the job:
 * step is "connect", "read", "write", "erase" or "restore", figure is how far the job or run is, in
 * 1/1000, and never falls. Returning anything but 0 stops the job.
 */
void wry_plain_watch(struct wry_plain *jig,
                     int (*watch)(void *context, const char *step, unsigned figure), void *context);

/* Makes the jobs up to the end one run: one row of the ledger with this name (station.h). */
void wry_plain_begin_run(struct wry_plain *jig, const char *name, unsigned jobs);
/* The exit code of the first job that failed, or 0. */
int wry_plain_end_run(struct wry_plain *jig);

/* Does "identify", "backup", "erase", "write", "verify" or "start". Returns an exit code as the
 * command has it (enum wry_outcome): 0 is done and verified. */
int wry_plain_do(struct wry_plain *jig, const char *job);

/*
 * A fact: "problem" and "advice" of the last job that failed, "outcome" of the last one in words,
 * "chip", "address", "flash" (bytes) and "speed" of the board, "backup" (path of the last one),
 * "sectors" written by the last write. NULL if it is not known. Valid until the next call with this
 * jig.
 */
const char *wry_plain_text(struct wry_plain *jig, const char *name);

#ifdef __cplusplus
}
#endif

#endif
