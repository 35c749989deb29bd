/* The list of verbs. */
#include "verbs.h"

const struct verb *const verbs[] = {
    &verb_ports,    &verb_examine, &verb_identify, &verb_inspect, &verb_plan,
    &verb_backup,   &verb_restore, &verb_erase,    &verb_write,   &verb_verify,
    &verb_settings, &verb_start,   &verb_listen,   &verb_card,    &verb_ledger,
    &verb_shelf,    &verb_bench,   &verb_config,   NULL,
};

const struct verb *verbs_find(const char *name)
{
    for (const struct verb *const *verb = verbs; *verb; verb++) {
        if (g_strcmp0((*verb)->name, name) == 0)
            return *verb;
    }
    return NULL;
}
