/*
 * Kits: a card with all its files in one ZIP file, signed or not (docs/kit.md).
 *
 *     struct kit *kit = kit_open("pier.zip", "harbour.public", &error);
 *     struct card_files files = {.context = kit, .find = kit_find};
 *     struct card *card = card_load(kit_card(kit), &files, mistakes, &error);
 *     kit_close(kit);
 *
 * Nothing is unpacked before the signature, if one is required, and all digests are verified. Files
 * are unpacked into a temporary folder, which is removed with the kit.
 */
#pragma once

#include "card_data.h"

struct kit;

/* True for a ZIP file with the list of a kit, valid or not. */
bool kit_is_one(const char *path);

/* trust: public keys, as for signing_is_trusted; NULL: accept any kit. */
struct kit *kit_open(const char *path, const char *trust, GError **error);
void kit_close(struct kit *kit);

/* Path of the unpacked card. */
const char *kit_card(const struct kit *kit);
/* For struct card_files: context is the kit. */
char *kit_find(void *kit, const char *written);

/* SHA-256 of its list, which identifies all its content, and the key that signed it (NULL =
 * unsigned). Hexadecimal. */
const char *kit_digest(const struct kit *kit);
const char *kit_signer(const struct kit *kit);

/* The share of a table's rows that it uses. */
struct card_share kit_share(const struct kit *kit);

/* The members, for display. */
struct kit_file {
    char *written;
    uint64_t size; /* bytes; of a folder, of all its files */
    char *sha256;  /* hexadecimal; NULL for a folder */
};
const GPtrArray *kit_files(const struct kit *kit);

/* Packs a card without mistakes whose files are all paths. Equal content gives an identical file.
 * secret_key: a file; NULL: unsigned. */
gboolean kit_pack(const struct card *card, const char *path, const char *secret_key,
                  GError **error);
