/* The options that several verbs have, in the order in which the help lists them. */
#include "app.h"
#include "options.h"

#define AT(member) offsetof(struct app, member)

const struct option common_options[] = {
    /* Of the link: --help-link explains these; they are the same for each verb. */
    OPTION(TEXT, "link", link, "ADDRESS",
           "A device path, rfc2217://HOST:PORT, tcp://HOST:PORT or bench:NAME; default: "
           "WRYTOGRAPH_LINK",
           .brief = 'l', .when = APP_LINK, .unless = APP_LINKS),
    OPTION(TEXTS, "link", links, "ADDRESS",
           "A device path, rfc2217://HOST:PORT, tcp://HOST:PORT or bench:NAME; default: "
           "WRYTOGRAPH_LINK",
           .brief = 'l', .when = APP_LINKS),
    OPTION(
        TEXT, "wiring", wiring_name, "NAME",
        "How reset and boot strap are wired: rts-reset (usual), dtr-reset, either with -inverted, "
        "cross-coupled or none",
        .when = APP_LINK),
    OPTION(FLAG, "by-hand", by_hand, NULL,
           "Loading mode by buttons: explains what to press, and calls until the board answers",
           .when = APP_LINK),
    OPTION(TEXT, "call-speed", call_speed, "BAUD",
           "Speed at which the loader is called first; default 115200", .when = APP_LINK),
    OPTION(TEXT, "wait", wait, "TIME", "How long to call with --by-hand; default 60s",
           .when = APP_LINK),
    OPTION(TEXT, "patience", patience, "TIME", "How long to wait for a lost link; default 10s",
           .when = APP_LINK),
    OPTION(FLAG, "stay", stay, NULL,
           "Leave the board in loading mode, so that the next verb starts at once; by default, "
           "verbs that only read let it run again",
           .when = APP_LINK),
    OPTION(TEXT, "speed", speed, "BAUD", "Highest speed to use; default: the highest of both sides",
           .brief = 's', .when = APP_LINK),
    OPTION(TEXT, "expect-chip", expect_chip, "CHIP",
           "Refuse other chips than this, such as turnstone-t2", .when = APP_LINK),
    OPTION(TEXT, "expect-flash", expect_flash, "SIZE", "Refuse other flash sizes than this",
           .when = APP_LINK),

    OPTION(TEXT, "as", format, "FORMAT",
           "Read files as raw, hex or srec instead of detecting the format",
           .when = APP_IMAGES | APP_FORMAT),
    OPTION(FLAG, "leave-header", leave_header, NULL,
           "Do not set the flash size in boot headers to that of the board", .when = APP_IMAGES),
    OPTION(TEXT, "read-mode", read_mode, "LINES",
           "Set the read mode in boot headers: 1, 2 or 4 data lines, if the chip supports it",
           .when = APP_IMAGES),
    OPTION(TEXT, "read-clock", read_clock, "MHZ",
           "Set the read clock in boot headers, in MHz, if the chip supports it",
           .when = APP_IMAGES),
    OPTION(TEXTS, "set", set, "KEY=VALUE",
           "Change one setting of the board's settings block and keep the others; may be repeated. "
           "REGION/KEY=VALUE if several regions have one",
           .when = APP_WRITES),
    OPTION(TEXTS, "set-new", set_new, "KEY=VALUE",
           "The same, for a setting that the block may not have yet", .when = APP_WRITES),
    OPTION(FLAG, "any-content", any_content, NULL,
           "Accept files that are certainly not firmware, or that the board would not start from",
           .when = APP_WRITES),
    OPTION(FLAG, "any-place", any_place, NULL,
           "Accept places across ends of regions, over settings, or over the region table",
           .when = APP_WRITES),
    OPTION(FLAG, "from-another-board", from_another_board, NULL,
           "Accept settings that are known to belong to another board", .when = APP_WRITES),
    OPTION(FILE, "layout", layout_path, "FILE",
           "Regions from a YAML file; default: from the board, else built in",
           .when = APP_IMAGES | APP_LAYOUT),
    OPTION(FLAG, "listen", listen, NULL, "Then listen, like 'wrytograph listen'",
           .when = APP_LISTEN),
    OPTION(FLAG, "every-sector", every_sector, NULL,
           "Also write sectors that already have the right content", .when = APP_EVERY),
    OPTION(FLAG, "clear-protection", clear_protection, NULL,
           "First clear the flash's block-protect bits, permanently, if any are set",
           .when = APP_EVERY),
    OPTION(FLAG, "no-guess", no_guess, NULL,
           "Do not use images and backups on this computer to avoid transfers: slower, with the "
           "same result",
           .when = APP_KNOWN),
    OPTION(FILE, "bench", bench_folder, "DIR",
           "Folder of simulated boards; default: WRYTOGRAPH_BENCH", .when = APP_LINK | APP_BENCH),
    OPTION(TEXT, "ledger", ledger_name, "LEDGER",
           "Where this is recorded: a file, or postgresql://…; default: WRYTOGRAPH_LEDGER, else "
           "the user's file",
           .when = APP_LEDGER),
    OPTION(FLAG, "dry-run", dry_run, NULL, "Show what would be done, and end", .brief = 'n',
           .when = APP_DRY_RUN),
    OPTION(TEXTS, "chip-file", chip_files, "FILE",
           "Also know the chip that this file describes; may be repeated", .when = ~0u),
    OPTION(FLAG, "json", json_wanted, NULL, "Print one JSON document on stdout", .when = ~0u),
    {.name = NULL},
};
