/* Phrases for single facts. */
#include "fact_words.h"

#include "wrytograph-host/units.h"
#include "wrytograph-host/words.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/module_image.h"

static const struct {
    const char *what, *advice;
} contents[] = {
    [WRY_CONTENT_ANY] = {"", ""},
    [WRY_CONTENT_PAGE] = {"is a web page, not firmware: the download went wrong",
                          "Download the file that the page links to."},
    [WRY_CONTENT_ZIP] =
        {"is a ZIP archive, not firmware",
         "Unpack it, and write the images in it. 'wrytograph restore' restores a backup."},
    [WRY_CONTENT_PACKED] = {"is compressed, not firmware", "Unpack it, and write its content."},
    [WRY_CONTENT_PROGRAM] = {"is the output of a linker, not an image",
                             "Write the image that the build makes of it, with its boot header."},
    [WRY_CONTENT_TEXT] = {"is text, not firmware", "Read it: it may say what went wrong."},
    [WRY_CONTENT_DOCUMENT] = {"is a picture or a document, not firmware",
                              "Write the image that belongs to it."},
    [WRY_CONTENT_MODULE] = {"is firmware of a module behind the board, not for the board's flash",
                            "'wrytograph listen --steps' carries it over the console, with "
                            "'transfer' in a step (docs/co-processor.md)."},
};

const char *wry_phase_name(enum wry_phase step)
{
    static const char *const names[] = {
        [WRY_PHASE_CONNECT] = "connect", [WRY_PHASE_READ] = "read",
        [WRY_PHASE_WRITE] = "write",     [WRY_PHASE_ERASE] = "erase",
        [WRY_PHASE_RESTORE] = "restore", [WRY_PHASE_SEND] = "send",
        [WRY_PHASE_RECEIVE] = "receive"};

    return names[step];
}

const char *wry_chip_title(const struct wry_chip *chip)
{
    return chip ? chip->title : "unknown chip";
}

const char *wry_program_kind_title(uint8_t kind)
{
    switch (kind) {
    case WRY_PROGRAM_START:
        return "a start program";
    case WRY_PROGRAM_APP:
        return "an application";
    default:
        return "a program";
    }
}

const char *wry_module_kind_title(uint8_t kind)
{
    return kind == WRY_MODULE_ECHO_SOUNDER ? "firmware of an echo sounder"
                                           : "firmware of an unknown module";
}

const char *wry_content_text(enum wry_content content)
{
    return (size_t)content < G_N_ELEMENTS(contents) ? contents[content].what : "";
}

const char *fact_words_content_advice(enum wry_content content)
{
    return contents[content].advice;
}

char *wry_flash_limit_text(uint8_t limit, uint64_t erase_least)
{
    g_autofree char *least = wry_units_bytes(erase_least);

    switch (limit) {
    case WRY_FLASH_FULL:
        return NULL;
    case WRY_FLASH_COARSE:
        return erase_least > 0 ? g_strdup_printf("it erases no less than %s at a time", least)
                               : g_strdup("it has no erase of 4 KiB");
    case WRY_FLASH_MIXED:
        return g_strdup("it erases 4 KiB alone only in parts of it");
    case WRY_FLASH_SHORT_PAGES:
        return g_strdup("it programs fewer than 256 bytes at a time");
    case WRY_FLASH_UNCLEAR:
        return g_strdup("its description of its erase units is contradictory");
    default:
        return g_strdup_printf("its loader gives a reason unknown to this version (%u)", limit);
    }
}

static const char *const step_names[] = {
    [WRY_RUN_CONNECT] = "connect", [WRY_RUN_CHECK] = "check", [WRY_RUN_BACKUP] = "backup",
    [WRY_RUN_ERASE] = "erase",     [WRY_RUN_WRITE] = "write", [WRY_RUN_VERIFY] = "verify",
    [WRY_RUN_START] = "start"};

const char *wry_run_step_name(enum wry_run_step step)
{
    return (size_t)step < G_N_ELEMENTS(step_names) ? step_names[step] : "unknown";
}
