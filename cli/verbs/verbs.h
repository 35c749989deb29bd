/* The verbs: each is described in the file of its name. */
#pragma once

#include "app/app.h"

/* In the order of the work; ends with NULL. */
extern const struct verb *const verbs[];

/* The verb with this name, or NULL. */
const struct verb *verbs_find(const char *name);

extern const struct verb verb_ports, verb_examine, verb_identify, verb_inspect, verb_plan,
    verb_backup, verb_restore, verb_erase, verb_write, verb_verify, verb_start, verb_listen,
    verb_settings, verb_card, verb_ledger, verb_shelf, verb_bench, verb_config;
