/*
 * Sentences with named facts: "'{subject}' is not a link".
 *
 * A row of a table may depend on a fact: where a kind has several rows, the first one counts whose
 * condition holds, so that a sentence needs no optional parts.
 */
#ifndef WRY_JOBS_TEMPLATE_H
#define WRY_JOBS_TEMPLATE_H

#include <glib.h>
#include <stdbool.h>

struct template_row {
    int kind;             /* of the problem, note or status */
    const char *when;     /* a fact that must exist; NULL: the row always fits */
    const char *sentence; /* NULL: nothing is to be said */
    const char *advice;   /* NULL: there is none */
};

/* The text of a fact, to be freed with g_free; NULL if there is no such fact in this case. */
typedef char *template_fact(const void *context, const char *name);

/* The row for kind; NULL if there is none. */
const struct template_row *template_find(const struct template_row *rows, size_t n, int kind,
                                         template_fact *fact, const void *context);

/* text with its facts filled in; a fact that does not exist leaves nothing. text may be NULL, then
 * so is the result. Free with g_free. */
char *template_fill(const char *text, template_fact *fact, const void *context);

#endif
