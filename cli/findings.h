/* What is wrong with a link: causes, what each looks like, and what to check. */
#ifndef WRY_CLI_FINDINGS_H
#define WRY_CLI_FINDINGS_H

#include "app.h"

enum finding {
    FINDING_GOOD,
    FINDING_SILENT,      /* nothing at all */
    FINDING_LOW,         /* zeros only: the line is held low */
    FINDING_ECHO,        /* our own frames came back */
    FINDING_STRAP,       /* readable text of a running program */
    FINDING_OTHER_SPEED, /* text or a loader, but at another speed */
    FINDING_NO_GROUND,   /* bytes from nowhere, even in reset */
    FINDING_GARBAGE,     /* bytes that make no sense at any speed */
    FINDING_NOISE,       /* the loader answers, but frames are damaged */
    FINDING_SLOW,        /* all is well, but not at the speeds that both sides could do */
    FINDING_BROWN_OUT,   /* the board restarts when it works hard */
    FINDING_FADES,       /* the loader stops answering when it works hard */
};

/* A word for JSON, such as "strap". */
const char *finding_name(enum finding finding);

/* The most likely cause in a sentence. */
const char *finding_cause(enum finding finding);

/* What to check, most likely first; ends with NULL. At most 6. */
const char *const *finding_checks(enum finding finding);

/* From what a session heard while it called in vain at one speed. */
enum finding finding_judge(const struct wry_session_stats *stats);

/* From what was heard since the board answered first; FINDING_GOOD when nothing tells. */
enum finding finding_of_loss(const struct app *app);

/* What was heard, as evidence; free with g_free. */
char *finding_evidence(const struct app *app);

#endif
