/*
 * YAML files of ours, as a tree whose nodes know their lines (libyaml): bounded before they are
 * parsed, one document, no key twice, and every complaint with file and line.
 *
 *     static gboolean read(struct yaml_text *yaml, const yaml_node_t *root, void *context);
 *     if (!yaml_text_load("steps.yaml", "a steps file", read, &steps, &error))
 *         ...
 */
#ifndef WRY_STORE_YAML_TEXT_H
#define WRY_STORE_YAML_TEXT_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>
#include <yaml.h>

#include "diagnostics.h"

struct yaml_text {
    const char *path;
    yaml_document_t document;
    GPtrArray *mistakes; /* struct wry_diagnostic: all of them are found. NULL: the first ends it */
    GError **error;
};

/* Where something stands, both counted from 1. */
struct yaml_place {
    unsigned line, column;
};

#define YAML_TEXT_START ((struct yaml_place){1, 1})

/* Hands over the root, which is a mapping. what stands in complaints: "a layout". */
gboolean yaml_text_load(const char *path, const char *what,
                        gboolean (*read)(struct yaml_text *yaml, const yaml_node_t *root,
                                         void *context),
                        void *context, GError **error);

/* The same, and goes on behind a mistake: they are added to mistakes, and FALSE is returned. The
 * error is set when the file cannot be read. */
gboolean yaml_text_check(const char *path, const char *what,
                         gboolean (*read)(struct yaml_text *yaml, const yaml_node_t *root,
                                          void *context),
                         void *context, GPtrArray *mistakes, GError **error);

/* Hands over each pair of a mapping in order; FALSE when take is, where one mistake ends it at
 * once. A key that stands twice is a mistake, and not handed over again. */
gboolean yaml_text_each(struct yaml_text *yaml, const yaml_node_t *mapping,
                        gboolean (*take)(struct yaml_text *yaml, const yaml_node_t *key,
                                         const yaml_node_t *value, void *context),
                        void *context);

/* The value of that key of a mapping; NULL without. */
const yaml_node_t *yaml_text_find(struct yaml_text *yaml, const yaml_node_t *mapping,
                                  const char *key);

/* The items of a sequence in order. */
gboolean yaml_text_items(struct yaml_text *yaml, const yaml_node_t *sequence,
                         gboolean (*take)(struct yaml_text *yaml, const yaml_node_t *item,
                                          void *context),
                         void *context);

/* True when the file, named .yaml or .yml, has that key at its beginning of a line. */
bool yaml_text_has_key(const char *path, const char *key);

struct yaml_place yaml_text_place(const yaml_node_t *node);

/* "" for what is no scalar. */
const char *yaml_text_of(const yaml_node_t *node);

/* A scalar in quotes, or in a block: never a number or a truth value. */
bool yaml_text_is_quoted(const yaml_node_t *node);

/* Sets the error to "PATH:LINE: …", or adds a mistake; returns FALSE. */
gboolean yaml_text_complain(struct yaml_text *yaml, struct yaml_place at, const char *format, ...)
    G_GNUC_PRINTF(3, 4);

#endif
