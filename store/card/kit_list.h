/* The list of a kit, kit.json: its files with their SHA-256. */
#pragma once

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/bytes.h"

#define KIT_LIST "kit.json"
#define KIT_SIGNATURE "kit.sig.json"
#define KIT_LIST_MAX (1024u * 1024u) /* bytes */

/* One file of the kit. */
struct kit_member {
    char *path; /* relative to its entry, with slashes, never outside */
    uint64_t size;
    char *sha256; /* hexadecimal */
    char *source; /* while packing: the file; otherwise NULL */
};

/* A file named in the card with the files that belong to it, or a folder. */
struct kit_entry {
    char *written;
    char *name; /* of a folder; NULL: the entry is the first member */
    GPtrArray *members;
    GPtrArray *absent; /* char *: secret files, which are not packed */
};

struct kit_list {
    struct kit_member *card;
    char *card_name, *card_version;
    unsigned share_part, share_of; /* see struct card_share */
    GPtrArray *entries;
};

struct kit_list *kit_list_new(void);
void kit_list_free(struct kit_list *list);

struct kit_entry *kit_list_add(struct kit_list *list, const char *written, const char *name);
struct kit_member *kit_member_new(const char *path);

/* The text of the list; free with g_free. */
char *kit_list_write(const struct kit_list *list);
/* True for a relative path that stays within its folder. */
bool kit_list_path_fits(const char *path);

/* NULL with error if the list is invalid. path is used in messages. */
struct kit_list *kit_list_read(const char *text, gsize n, const char *path, GError **error);
