/* Long lists in JSON, and the document around them. */
#include "json_stream.h"

#include <json-glib/json-glib.h>
#include <string.h>

static char *to_text(JsonBuilder *builder, bool pretty)
{
    g_autoptr(JsonGenerator) generator = json_generator_new();

    json_builder_end_object(builder);
    g_autoptr(JsonNode) root = json_builder_get_root(builder);
    json_generator_set_root(generator, root);
    json_generator_set_pretty(generator, pretty);
    return json_generator_to_data(generator, NULL);
}

void json_stream_begin(struct app *app, const char *name, bool lines)
{
    if (!app->json_wanted)
        return;
    /* The verb's name is in it, so it is not empty. */
    g_autofree char *text = to_text(app->json, true);
    size_t n = strlen(text) - strlen("\n}");

    g_object_unref(app->json);
    app->json = json_builder_new();
    json_builder_begin_object(app->json);
    printf("%.*s,\n  \"%s\" : [", (int)n, text, name);
    app->json_items = 0;
    app->json_begun = true;
    app->json_lines = lines;
}

JsonBuilder *json_stream_item(void)
{
    JsonBuilder *item = json_builder_new();

    json_builder_begin_object(item);
    return item;
}

void json_stream_add(struct app *app, JsonBuilder *item)
{
    g_autofree char *text = to_text(item, !app->json_lines);
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    g_autofree char *indented = g_strjoinv("\n    ", lines);

    g_object_unref(item);
    if (!app->json_wanted)
        return;
    printf("%s\n    %s", app->json_items++ > 0 ? "," : "", indented);
    fflush(stdout);
}

void json_stream_end(struct app *app)
{
    if (app->json_wanted)
        printf("%s]", app->json_items > 0 ? "\n  " : "");
}

void json_stream_finish(struct app *app)
{
    g_autofree char *text = to_text(app->json, true);

    if (app->json_begun)
        printf(",%s\n", text + strlen("{"));
    else
        puts(text);
}
