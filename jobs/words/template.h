/*
 * Sentences with facts by name: "'{subject}' is not a link".
 *
 * A row of a table may depend on a fact: if a kind has several rows, the first one whose condition
 * holds is used. So sentences need no optional parts.
 */
#pragma once

#include <glib.h>
#include <stdbool.h>

struct template_row {
    int kind;             /* kind of the problem, note or status */
    const char *when;     /* a fact that must exist; NULL: the row always fits */
    const char *sentence; /* NULL: there is none */
    const char *advice;   /* NULL: there is none */
};

/* Returns the text of a fact, to be freed with g_free; NULL if the fact does not exist. */
typedef char *template_fact(const void *context, const char *name);

/* The row for a kind; NULL if there is none. */
const struct template_row *template_find(const struct template_row *rows, size_t n, int kind,
                                         template_fact *fact, const void *context);

/* Fills the facts into text; facts that do not exist become empty. NULL for text NULL. Free with
 * g_free. */
char *template_fill(const char *text, template_fact *fact, const void *context);
