/*
 * Steps files: what is sent to a board and expected of it, in order (docs/steps-file.md).
 *
 *     steps:
 *       - {expect: gauge ready, within: 5s}
 *       - {send: version, expect: tide-gauge 2.3.1}
 */
#pragma once

#include <glib.h>
#include <stdbool.h>

#include "base/yaml_text.h"
#include "wrytograph-host/jobs.h"

/* How the files that steps name are found. */
struct steps_files {
    /* Reads the name of a file that exists; the previous *path is freed. FALSE after a complaint.
     */
    gboolean (*find)(struct yaml_text *yaml, const yaml_node_t *value, char **path,
                     const void *context);
    const void *context;
    bool for_many; /* boards: a file that is received would be each one's */
};

/* Reads a list of steps that is part of another file into steps: struct wry_console_step that own
 * their strings, with their transfers, in an array from steps_file_new. */
gboolean steps_file_take(struct yaml_text *yaml, const yaml_node_t *list,
                         const struct steps_files *files, GPtrArray *steps);
GPtrArray *steps_file_new(void);

/* True if a step of the array has a transfer. */
bool steps_file_transfers(const GPtrArray *steps);

/* True if the file is YAML with 'steps:', valid or not. */
bool steps_file_is_one(const char *path);
