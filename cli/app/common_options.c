/* The options that several verbs have, in the order in which the help lists them. */
#include "app.h"

#define AT(member) offsetof(struct app, member)

const struct option common_options[] = {
    /* Of the link: --help-link explains these; they are the same for each verb. */
    OPTION(
        TEXT, "link", link, "ADDRESS",
        "A device path, rfc2217://HOST:PORT, tcp://HOST:PORT or bench:NAME; else WRYTOGRAPH_LINK",
        .brief = 'l', .when = APP_LINK, .unless = APP_LINKS),
    OPTION(
        TEXTS, "link", links, "ADDRESS",
        "A device path, rfc2217://HOST:PORT, tcp://HOST:PORT or bench:NAME; else WRYTOGRAPH_LINK",
        .brief = 'l', .when = APP_LINKS),
    OPTION(
        TEXT, "wiring", wiring_name, "NAME",
        "How reset and boot strap are wired: rts-reset (usual), dtr-reset, either with -inverted, "
        "or none",
        .when = APP_LINK),
    OPTION(FLAG, "by-hand", by_hand, NULL,
           "Loading mode is entered by hand: says what to do, and calls until the board answers",
           .when = APP_LINK),
    OPTION(TEXT, "call-speed", call_speed, "BAUD",
           "Speed at which the loader is called first; else 115200", .when = APP_LINK),
    OPTION(TEXT, "wait", wait, "TIME", "How long to call with --by-hand; else 60s",
           .when = APP_LINK),
    OPTION(TEXT, "patience", patience, "TIME",
           "How long a lost link may take to come back; else 10s", .when = APP_LINK),
    OPTION(FLAG, "stay", stay, NULL,
           "Leave the board in loading mode, so that the next verb starts at once; else verbs that "
           "only read let it run again",
           .when = APP_LINK),
    OPTION(TEXT, "speed", speed, "BAUD", "Go no faster than this; else as fast as both sides can",
           .brief = 's', .when = APP_LINK),
    OPTION(TEXT, "expect-chip", expect_chip, "CHIP", "Refuse any other chip, such as turnstone-t2",
           .when = APP_LINK),
    OPTION(TEXT, "expect-flash", expect_flash, "SIZE", "Refuse any other flash size",
           .when = APP_LINK),

    OPTION(TEXT, "as", format, "FORMAT",
           "Take files for raw, hex or srec instead of looking at their content",
           .when = APP_IMAGES | APP_FORMAT),
    OPTION(FLAG, "leave-header", leave_header, NULL,
           "Do not set the flash size in boot headers to that of the board", .when = APP_IMAGES),
    OPTION(TEXT, "read-mode", read_mode, "LINES",
           "Set the read mode in boot headers: over 1, 2 or 4 data lines, as the chip can",
           .when = APP_IMAGES),
    OPTION(TEXT, "read-clock", read_clock, "MHZ",
           "Set the read clock in boot headers, in MHz, as the chip can", .when = APP_IMAGES),
    OPTION(TEXTS, "set", set, "KEY=VALUE",
           "Change one setting of the board's settings block and keep the others; may be repeated. "
           "REGION/KEY=VALUE where several regions have one",
           .when = APP_WRITES),
    OPTION(TEXTS, "set-new", set_new, "KEY=VALUE",
           "The same, also for a setting that the block does not have yet", .when = APP_WRITES),
    OPTION(FLAG, "any-content", any_content, NULL,
           "Take what is surely no firmware, too, or what the board would not start from",
           .when = APP_WRITES),
    OPTION(FLAG, "any-place", any_place, NULL,
           "Also across the ends of regions, over settings, and over the region table",
           .when = APP_WRITES),
    OPTION(FLAG, "from-another-board", from_another_board, NULL,
           "Also settings that are known to be another board's", .when = APP_WRITES),
    OPTION(FILE, "layout", layout_path, "FILE",
           "Regions from a YAML file; else from the board, else built in",
           .when = APP_IMAGES | APP_LAYOUT),
    OPTION(FLAG, "listen", listen, NULL, "Stay at the line, as 'wrytograph listen' does",
           .when = APP_LISTEN),
    OPTION(FLAG, "every-sector", every_sector, NULL,
           "Write sectors that hold the right content already, too", .when = APP_EVERY),
    OPTION(FLAG, "clear-protection", clear_protection, NULL,
           "Clear the flash's block-protect bits first, for good, if any are set",
           .when = APP_EVERY),
    OPTION(FLAG, "no-guess", no_guess, NULL,
           "Make no use of what images and backups on this computer tell of the board's content: "
           "slower, with the same result",
           .when = APP_KNOWN),
    OPTION(FILE, "bench", bench_folder, "DIR", "Folder of simulated boards; else WRYTOGRAPH_BENCH",
           .when = APP_LINK | APP_BENCH),
    OPTION(
        TEXT, "ledger", ledger_name, "LEDGER",
        "Where this is put on record: a file, or postgresql://…; else WRYTOGRAPH_LEDGER, else the "
        "user's own",
        .when = APP_LEDGER),
    OPTION(FLAG, "dry-run", dry_run, NULL, "Say what would be done and stop there", .brief = 'n',
           .when = APP_DRY_RUN),
    OPTION(FLAG, "json", json_wanted, NULL, "Print one JSON document on stdout", .when = ~0u),
    {.name = NULL},
};
