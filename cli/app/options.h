/*
 * Options as a table: one row gives the spelling of an option, where its value goes and what the
 * help says of it. Parsing, the help, the check for options given twice and the freeing of values
 * all read the same rows.
 */
#ifndef WRY_CLI_OPTIONS_H
#define WRY_CLI_OPTIONS_H

#include <glib.h>
#include <stdbool.h>
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

struct app;

/*
 * Parses argv[1...] by the common options that the verb has and by its own, into app and values.
 * False after app_fail, or when help was printed (app->code is EXIT_DONE then).
 */
bool options_parse(struct app *app, int argc, char **argv, void *values);

/* Frees what the rows of a table own in values. */
void options_free(const struct option *rows, void *values);

/* The options that several verbs have; their values are in struct app. */
extern const struct option common_options[];

#endif
