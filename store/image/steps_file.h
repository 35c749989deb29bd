/*
 * Steps files: what is sent to a board and expected of it, in order (docs/steps-file.md).
 *
 *     steps:
 *       - {expect: gauge ready, within: 5s}
 *       - {send: version, expect: tide-gauge 2.3.1}
 */
#ifndef WRY_STORE_STEPS_FILE_H
#define WRY_STORE_STEPS_FILE_H

#include <glib.h>
#include <stdbool.h>

#include "base/yaml_text.h"
#include "wrytograph-host/jobs.h"

/* The list of steps of another file of ours; steps: struct wry_console_step, whose strings it owns,
 * as steps_file_new makes them. */
gboolean steps_file_take(struct yaml_text *yaml, const yaml_node_t *list, GPtrArray *steps);
GPtrArray *steps_file_new(void);

/* True when the file is YAML that has 'steps:', sound or not. */
bool steps_file_is_one(const char *path);

#endif
