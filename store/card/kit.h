/*
 * Kits: a card and all that it needs in one ZIP file, signed or not (docs/kit.md).
 *
 *     struct kit *kit = kit_open("pier.zip", "harbour.public", &error);
 *     struct card_files files = {.context = kit, .find = kit_find};
 *     struct card *card = card_load(kit_card(kit), &files, mistakes, &error);
 *     kit_close(kit);
 *
 * Nothing of a kit is unpacked before its signature, where one is wanted, and every digest fit.
 * What is unpacked lies in a folder of its own, which goes with the kit.
 */
#ifndef WRY_STORE_KIT_H
#define WRY_STORE_KIT_H

#include "card_data.h"

struct kit;

/* A ZIP file that has a kit's list, sound or not. */
bool kit_is_one(const char *path);

/* trust: public keys, as signing_is_trusted takes them; NULL: whoever made it. */
struct kit *kit_open(const char *path, const char *trust, GError **error);
void kit_close(struct kit *kit);

/* Path of the unpacked card. */
const char *kit_card(const struct kit *kit);
/* For struct card_files: context is the kit. */
char *kit_find(void *kit, const char *written);

/* SHA-256 of its list, which stands for all of it; and who signed it, NULL without. Hexadecimal. */
const char *kit_digest(const struct kit *kit);
const char *kit_signer(const struct kit *kit);

/* Which rows of a table it hands out. */
struct card_share kit_share(const struct kit *kit);

/* Names and sizes of what is in it, "NAME" then bytes; for people. */
struct kit_file {
    char *written;
    uint64_t size; /* bytes, of all in it */
    char *sha256;  /* hexadecimal; NULL of a folder */
};
const GPtrArray *kit_files(const struct kit *kit);

/* Makes a kit of a sound card whose files are all paths. The same content gives the same bytes.
 * secret_key: a file; NULL: unsigned. */
gboolean kit_pack(const struct card *card, const char *path, const char *secret_key,
                  GError **error);

#endif
