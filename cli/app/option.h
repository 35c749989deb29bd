/*
 * One option as a row of a table: its spelling, where its value goes and what the help says of it.
 * Parsing, the help, the check for options given twice and the freeing of values all read the same
 * rows (options.h).
 */
#pragma once

#include <stddef.h>

enum option_type {
    OPTION_FLAG,   /* gboolean */
    OPTION_NUMBER, /* gint */
    OPTION_TEXT,   /* char *, UTF-8 */
    OPTION_FILE,   /* char *, a name as the file system has it */
    OPTION_TEXTS,  /* char **, one for each time that the option is given */
    OPTION_CALL,   /* take() is called, in the order of the command line */
};

struct option {
    const char *name; /* without "--"; NULL ends a table */
    enum option_type type;
    size_t at;         /* offset of the value within the struct of values */
    const char *value; /* what the help calls the value, such as "FILE"; NULL for a flag */
    const char *help;
    char brief;            /* '-o' as well as '--output'; 0 = none */
    unsigned when, unless; /* common options alone: for verbs with, and without, these bits */
    void (*take)(void *values, const char *value); /* OPTION_CALL */
};

/* A row of a file that defines AT(member) as the offset in its struct of values. After the help
 * may follow what few rows have, such as .brief = 'o'. */
#define OPTION(kind, written, member, shown, ...)                                                  \
    {                                                                                              \
        .name = written, .type = OPTION_##kind, .at = AT(member), .value = shown,                  \
        .help = __VA_ARGS__                                                                        \
    }
