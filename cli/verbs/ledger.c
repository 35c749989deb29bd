#include "verbs.h"
int verb_ledger(struct app *app, int argc, char **argv)
{
    (void)argc;
    (void)argv;
    (void)app;
    return 0;
}
