/* Parses options by tables of rows (option.h), and frees their values. */
#pragma once

#include <stdbool.h>

#include "option.h"

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
