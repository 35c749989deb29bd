/* The verbs, each in the file of its name, and the table of them. */
#ifndef WRY_CLI_VERBS_H
#define WRY_CLI_VERBS_H

#include "app/app.h"

/* In the order of the work; ends with one that has no name. */
extern const struct verb verbs[];

/* NULL when there is none. */
const struct verb *verbs_find(const char *name);

int verb_backup(struct app *app, int argc, char **argv);
int verb_card(struct app *app, int argc, char **argv);
int verb_ledger(struct app *app, int argc, char **argv);
int verb_bench(struct app *app, int argc, char **argv);
int verb_erase(struct app *app, int argc, char **argv);
int verb_examine(struct app *app, int argc, char **argv);
int verb_identify(struct app *app, int argc, char **argv);
int verb_inspect(struct app *app, int argc, char **argv);
int verb_listen(struct app *app, int argc, char **argv);
int verb_plan(struct app *app, int argc, char **argv);
int verb_ports(struct app *app, int argc, char **argv);
int verb_restore(struct app *app, int argc, char **argv);
int verb_shelf(struct app *app, int argc, char **argv);
int verb_start(struct app *app, int argc, char **argv);
int verb_verify(struct app *app, int argc, char **argv);
int verb_write(struct app *app, int argc, char **argv);

#endif
