/*
 * YAML files as trees whose nodes know their lines (libyaml). Files are limited before they are
 * parsed, contain one document and no key twice; every mistake is reported with file and line.
 *
 *     static gboolean read(struct yaml_text *yaml, const yaml_node_t *root, void *context);
 *
 *     if (!yaml_text_load("steps.yaml", "a steps file", read, &steps, &error))
 *         ...
 */
#pragma once

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>
#include <yaml.h>

#include "diagnostics.h"

struct yaml_text {
    const char *path;
    yaml_document_t document;
    GPtrArray *mistakes; /* collects all mistakes as struct wry_diagnostic; NULL: the first one ends
                            reading */
    GError **error;
};

/* A position, counted from 1. */
struct yaml_place {
    unsigned line, column;
};

#define YAML_TEXT_START ((struct yaml_place){1, 1})

/* Loads a file and calls read with the root, which is a mapping. what names the kind of file in
 * messages: "a layout". */
gboolean yaml_text_load(const char *path, const char *what,
                        gboolean (*read)(struct yaml_text *yaml, const yaml_node_t *root,
                                         void *context),
                        void *context, GError **error);

/* The same, but continues after a mistake: mistakes are collected, and FALSE is returned. error is
 * set only if the file cannot be read. */
gboolean yaml_text_check(const char *path, const char *what,
                         gboolean (*read)(struct yaml_text *yaml, const yaml_node_t *root,
                                          void *context),
                         void *context, GPtrArray *mistakes, GError **error);

/* Calls take for each pair of a mapping, in order. Returns FALSE if take did, and stops there
 * unless mistakes are collected. A repeated key is a mistake and skipped. */
gboolean yaml_text_each(struct yaml_text *yaml, const yaml_node_t *mapping,
                        gboolean (*take)(struct yaml_text *yaml, const yaml_node_t *key,
                                         const yaml_node_t *value, void *context),
                        void *context);

/* The value of a key in a mapping; NULL if it is missing. */
const yaml_node_t *yaml_text_find(struct yaml_text *yaml, const yaml_node_t *mapping,
                                  const char *key);

/* Calls take for each item of a sequence, in order. */
gboolean yaml_text_items(struct yaml_text *yaml, const yaml_node_t *sequence,
                         gboolean (*take)(struct yaml_text *yaml, const yaml_node_t *item,
                                          void *context),
                         void *context);

/* True if the file is named .yaml or .yml and has this key at the beginning of a line. */
bool yaml_text_has_key(const char *path, const char *key);

struct yaml_place yaml_text_place(const yaml_node_t *node);

/* The text of a scalar; "" for other nodes. */
const char *yaml_text_of(const yaml_node_t *node);

/* True for a scalar in quotes or in a block, which is never a number or truth value. */
bool yaml_text_is_quoted(const yaml_node_t *node);

/* Reports a mistake: sets the error to "PATH:LINE: …" or adds it to the list. Returns FALSE. */
gboolean yaml_text_complain(struct yaml_text *yaml, struct yaml_place at, const char *format, ...)
    G_GNUC_PRINTF(3, 4);
