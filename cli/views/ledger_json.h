/*
 * JSON in the ledger's columns. Rows may come from other computers, so it may be anything.
 *
 *     g_autoptr(JsonNode) steps = ledger_json_parse(run->steps);
 *     for (guint i = 0; i < ledger_json_count(steps); i++)
 *         puts(ledger_json_text(ledger_json_item(steps, i), "step", "?"));
 */
#pragma once

#include <json-glib/json-glib.h>

/* NULL if there is none, or it nests too deeply. */
JsonNode *ledger_json_parse(const char *text);

/* The number of elements of an array; 0 if it is not an array. */
guint ledger_json_count(JsonNode *array);
/* The i-th element; NULL if it is not an object, which has no members then. */
JsonObject *ledger_json_item(JsonNode *array, guint i);

/* A member of that type, or the given default. Bytes are at most UINT32_MAX. */
const char *ledger_json_text(JsonObject *object, const char *name, const char *otherwise);
gint64 ledger_json_bytes(JsonObject *object, const char *name, gint64 otherwise);
double ledger_json_seconds(JsonObject *object, const char *name);
