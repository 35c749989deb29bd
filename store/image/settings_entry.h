/* The entries of settings in memory, for settings.c and settings_file.c. */
#pragma once

#include <glib.h>
#include <stdbool.h>

#include "wrytograph/settings_block.h"

struct entry {
    struct wry_setting setting; /* its key and bytes point to the following members */
    char *key;
    GBytes *value; /* for texts and bytes; otherwise NULL */
    unsigned line; /* of the file that it was read from; 0 = none */
};

struct settings {
    GPtrArray *entries; /* struct entry, in the order of the file */
};

struct entry *settings_entry_new(const char *key);
/* Sets what the public part points to. */
void settings_entry_point(struct entry *entry);
void settings_entry_free(struct entry *entry);
struct entry *settings_find(const struct settings *settings, const char *key);

/* Parses the text as a value of the entry's type; false if it is not one. */
bool settings_entry_take(struct entry *entry, const char *text);
/* The type of an unquoted value. */
uint8_t settings_type_of(const char *text);
