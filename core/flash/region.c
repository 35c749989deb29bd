/* Names of regions and of their kinds. */
#include "wrytograph/region.h"

#include <stddef.h>

#include "flash_names.h"

static const char *const kind_names[] = {
    [WRY_REGION_START] = "start",       [WRY_REGION_TABLE] = "table", [WRY_REGION_APP] = "app",
    [WRY_REGION_SETTINGS] = "settings", [WRY_REGION_FILES] = "files",
};

enum {
    KINDS = sizeof kind_names / sizeof kind_names[0],
};

static bool is_letter(char c)
{
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
}

bool wry_region_name_is_fit(const char *name)
{
    size_t n = 0;

    for (; name[n] != '\0'; n++) {
        bool inner = (name[n] >= '0' && name[n] <= '9') || name[n] == '-' || name[n] == '_';
        if (!is_letter(name[n]) && (n == 0 || !inner))
            return false;
    }
    return n > 0 && n <= WRY_REGION_NAME_SIZE && !names_are_same(name, "all") &&
           !names_are_same(name, "rest");
}

const char *wry_region_kind_name(uint8_t kind)
{
    return kind < KINDS && kind_names[kind] ? kind_names[kind] : "unknown";
}

uint8_t wry_region_kind_by_name(const char *name)
{
    for (int i = 0; i < KINDS; i++) {
        if (kind_names[i] && names_are_same(kind_names[i], name))
            return (uint8_t)i;
    }
    return 0;
}
