/* The flash map and its drawing in the terminal. */
#include "flash_map.h"

#include <langinfo.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "wrytograph-host/units.h"

enum {
    COLUMNS_BEFORE = 8 + 2 + 13 + 9 + 1, /* offset, name, size */
    COLUMNS_BEHIND = 30,                 /* room for the remark */
    NARROWEST_BAR = 16,
    WIDEST_BAR = 120,
    LEGEND_COLUMNS = 72,
};

static const struct {
    const char *glyph, *plain;
    enum app_colour colour;
    const char *meaning;
} looks[MAP_KINDS] = {
    [MAP_UNTOUCHED] = {"·", ".", APP_FAINT, "untouched"},
    [MAP_KEPT] = {"▒", "+", APP_AMBER, "preserved, in a rewritten sector"},
    [MAP_BLANKED] = {"░", "-", APP_CYAN, "erased"},
    [MAP_IMAGE] = {"█", "#", APP_BLUE, "image"},
    [MAP_AGREES] = {"█", "=", APP_GREEN, "agrees"},
    [MAP_DIFFERS] = {"✗", "!", APP_RED, "differs"},
};

const char *flash_map_meaning(enum map_kind kind)
{
    return looks[kind].meaning;
}

bool flash_map_uses(const struct flash_map *map, enum map_kind kind)
{
    bool used = kind == MAP_UNTOUCHED;

    for (guint i = 0; i < map->spans->len && !used; i++)
        used = g_array_index(map->spans, struct map_span, i).kind == kind;
    return used;
}

static void add_row(struct flash_map *map, const char *name, uint32_t offset, uint32_t end)
{
    struct map_row row = {.offset = offset, .length = end - offset};

    if (end <= offset)
        return;
    g_strlcpy(row.name, name, sizeof row.name);
    g_array_append_val(map->rows, row);
}

static int by_offset(const void *a, const void *b)
{
    const struct wry_region *x = a, *y = b;

    return x->offset < y->offset ? -1 : x->offset > y->offset;
}

struct flash_map *flash_map_new(const char *title, uint32_t flash_size,
                                const struct wry_region_table *layout)
{
    struct flash_map *map = g_new0(struct flash_map, 1);
    struct wry_region_table sorted = *layout;
    uint32_t at = 0;

    map->title = g_strdup(title);
    map->flash_size = flash_size;
    map->rows = g_array_new(FALSE, FALSE, sizeof(struct map_row));
    map->spans = g_array_new(FALSE, FALSE, sizeof(struct map_span));
    qsort(sorted.regions, sorted.count, sizeof sorted.regions[0], by_offset);
    for (uint32_t i = 0; i < sorted.count; i++) {
        const struct wry_region *region = &sorted.regions[i];
        add_row(map, "", at, region->offset);
        add_row(map, region->name, region->offset, region->offset + region->length);
        at = region->offset + region->length;
    }
    add_row(map, "", at, flash_size);
    return map;
}

void flash_map_free(struct flash_map *map)
{
    for (guint i = 0; i < map->spans->len; i++)
        g_free(g_array_index(map->spans, struct map_span, i).label);
    g_array_free(map->rows, TRUE);
    g_array_free(map->spans, TRUE);
    g_free(map->title);
    g_free(map);
}

void flash_map_add(struct flash_map *map, enum map_kind kind, uint32_t offset, uint32_t length,
                   const char *label)
{
    struct map_span span = {
        .kind = kind, .offset = offset, .length = length, .label = g_strdup(label)};

    g_array_append_val(map->spans, span);
}

void flash_map_add_plan(struct flash_map *map, const struct wry_plan *plan)
{
    struct wry_span span;

    for (uint32_t from = 0; wry_plan_next_span(plan, from, &span); from = span.end)
        flash_map_add(map, MAP_KEPT, span.start, span.end - span.start, NULL);
    for (size_t i = 0; i < plan->count; i++) {
        const struct wry_planned_image *image = plan->placements[i].label;
        bool rest = image->rest_length > 0 && image->rest_offset == plan->placements[i].offset;
        flash_map_add(map, rest ? MAP_BLANKED : MAP_IMAGE, plan->placements[i].offset,
                      plan->placements[i].length, rest ? NULL : image->name);
    }
}

static uint32_t shared(const struct map_span *span, uint32_t offset, uint32_t length)
{
    uint64_t start = MAX(span->offset, offset);
    uint64_t end = MIN((uint64_t)span->offset + span->length, (uint64_t)offset + length);

    return end > start ? (uint32_t)(end - start) : 0;
}

enum map_kind flash_map_kind_at(const struct flash_map *map, uint32_t offset, uint32_t length)
{
    enum map_kind kind = MAP_UNTOUCHED;

    for (guint i = 0; i < map->spans->len; i++) {
        const struct map_span *span = &g_array_index(map->spans, struct map_span, i);
        if (span->kind > kind && shared(span, offset, length) > 0)
            kind = span->kind;
    }
    return kind;
}

uint32_t flash_map_bytes(const struct flash_map *map, const struct map_row *row, enum map_kind kind)
{
    uint32_t bytes = 0;

    for (guint i = 0; i < map->spans->len; i++) {
        const struct map_span *span = &g_array_index(map->spans, struct map_span, i);
        if (span->kind == kind)
            bytes += shared(span, row->offset, row->length);
    }
    return bytes;
}

char *flash_map_labels(const struct flash_map *map, const struct map_row *row)
{
    GString *text = g_string_new(NULL);
    const char *last = NULL;

    for (guint i = 0; i < map->spans->len; i++) {
        const struct map_span *span = &g_array_index(map->spans, struct map_span, i);
        if (!span->label || shared(span, row->offset, row->length) == 0 ||
            g_strcmp0(last, span->label) == 0)
            continue;
        g_string_append_printf(text, "%s%s", text->len > 0 ? ", " : "", span->label);
        last = span->label;
    }
    return g_string_free(text, FALSE);
}

/* "20.6 KiB", "1.5 MiB", "180 B" */
static char *short_size(uint32_t bytes)
{
    if (bytes < 1024)
        return g_strdup_printf("%u B", (unsigned)bytes);
    bool mib = bytes >= 1024 * 1024;
    double value = bytes / (mib ? 1024.0 * 1024.0 : 1024.0);
    bool whole = bytes % (mib ? 1024 * 1024 : 1024) == 0;
    return g_strdup_printf(whole ? "%.0f %s" : "%.1f %s", value, mib ? "MiB" : "KiB");
}

char *flash_map_remark(const struct flash_map *map, const struct map_row *row)
{
    g_autofree char *labels = flash_map_labels(map, row);
    uint32_t image = flash_map_bytes(map, row, MAP_IMAGE);
    uint32_t differs = flash_map_bytes(map, row, MAP_DIFFERS);
    g_autofree char *amount = short_size(differs > 0 ? differs : image);

    if (differs > 0)
        return g_strdup_printf("%s%s%s differ", labels, labels[0] ? ", " : "", amount);
    if (image > 0)
        return g_strdup_printf("%s%s%s", labels, labels[0] ? ", " : "", amount);
    return g_strdup(flash_map_bytes(map, row, MAP_AGREES) > 0 ? "agrees" : "");
}

struct style {
    bool utf8, painted;
};

static void print_cell(const struct style *style, enum map_kind kind)
{
    if (style->painted)
        fputs(app_paint(looks[kind].colour), stdout);
    fputs(style->utf8 ? looks[kind].glyph : looks[kind].plain, stdout);
    if (style->painted)
        fputs("\033[0m", stdout);
}

static void print_bar(const struct flash_map *map, const struct style *style, uint32_t offset,
                      uint32_t length, unsigned width)
{
    for (unsigned i = 0; i < width; i++) {
        uint64_t start = (uint64_t)length * i / width;
        uint64_t end = (uint64_t)length * (i + 1) / width;
        uint32_t n = (uint32_t)MAX(end - start, 1);
        print_cell(style, flash_map_kind_at(map, offset + (uint32_t)start, n));
    }
}

static unsigned bar_width(void)
{
    struct winsize size;
    unsigned columns = 100;

    if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 0)
        columns = size.ws_col;
    unsigned used = COLUMNS_BEFORE + COLUMNS_BEHIND + 4;
    unsigned width = columns > used + NARROWEST_BAR ? columns - used : NARROWEST_BAR;
    return MIN(width, WIDEST_BAR);
}

static void print_row(const struct flash_map *map, const struct style *style,
                      const struct map_row *row, unsigned width)
{
    g_autofree char *size = short_size(row->length);
    g_autofree char *remark = flash_map_remark(map, row);

    printf("0x%06X  %-13s%9s |", (unsigned)row->offset, row->name[0] ? row->name : "-", size);
    print_bar(map, style, row->offset, row->length, width);
    /* A remark that does not fit is below the bar. */
    unsigned columns = app_columns();
    if (remark[0] && columns > 0 &&
        COLUMNS_BEFORE + width + 2 + (unsigned)g_utf8_strlen(remark, -1) > columns)
        printf("|\n%*s %s\n", COLUMNS_BEFORE, "", remark);
    else
        printf("|%s%s\n", remark[0] ? " " : "", remark);
}

static void print_legend(const struct flash_map *map, const struct style *style)
{
    bool first = true, narrow = app_columns() > 0 && app_columns() < LEGEND_COLUMNS;

    for (enum map_kind kind = MAP_UNTOUCHED; kind < MAP_KINDS; kind++) {
        if (!flash_map_uses(map, kind))
            continue;
        fputs(first ? "          " : narrow ? "\n          " : "   ", stdout);
        print_cell(style, kind);
        printf(" %s", looks[kind].meaning);
        first = false;
    }
    putchar('\n');
}

void flash_map_print(const struct flash_map *map, const struct app *app)
{
    unsigned width = bar_width();
    g_autofree char *size = short_size(map->flash_size);
    struct style style = {.utf8 = strcmp(nl_langinfo(CODESET), "UTF-8") == 0,
                          .painted = app_is_painted()};

    if (app->json_wanted)
        return;
    app_put_hanging(stdout, 2, map->title);
    printf("%-10s%-13s%9s |", "", "whole flash", size);
    print_bar(map, &style, 0, map->flash_size, width);
    printf("|\n");
    for (guint i = 0; i < map->rows->len; i++)
        print_row(map, &style, &g_array_index(map->rows, struct map_row, i), width);
    print_legend(map, &style);
}
