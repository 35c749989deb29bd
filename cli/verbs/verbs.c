/* The table of verbs: their words, and what others need to know of them. */
#include "verbs.h"

const struct verb verbs[] = {
    {.name = "ports",
     .summary = "list serial ports, or name the one that appears",
     .usage = "",
     .description = "Lists the serial ports: device, USB ids, serial number, adapter, and why one\n"
                    "cannot be opened.",
     .options = APP_NO_WORDS,
     .run = verb_ports},
    {.name = "examine",
     .summary = "say what is wrong with a link, and what to check",
     .usage = "",
     .description =
         "Says what is wrong with a link: calls the board, listens, tries other speeds,\n"
         "and names the most likely cause, what was heard, and what to check first.\n"
         "Changes nothing in the flash. Exit code 0: good; 4: no answer; 7: unreliable.",
     .options = APP_LINK | APP_NO_WORDS,
     .leaves_running = true,
     .run = verb_examine},
    {.name = "identify",
     .summary = "say which board is on the link: chip, address, flash",
     .usage = "",
     .description = "Gets the board into loading mode and says what it is. With --expect-chip or\n"
                    "--expect-flash, a board that differs is an error (exit code 5).",
     .options = APP_LINK | APP_LAYOUT | APP_NO_WORDS,
     .leaves_running = true,
     .run = verb_identify},
    {.name = "inspect",
     .summary = "say what a file contains, without a board",
     .usage = "FILE|FOLDER…",
     .description =
         "Says what images, backup archives, and layout, settings and steps files (.yaml)\n"
         "contain, and whether they are whole.",
     .options = APP_FORMAT,
     .run = verb_inspect},
    {.name = "plan",
     .summary = "check what would be written, and draw the flash map",
     .usage = "PLACEMENT…",
     .description = "Takes what write takes, checks it against the board on the link or against\n"
                    "--chip and --flash, and draws the flash map. Touches nothing.",
     .options = APP_LINK | APP_IMAGES | APP_WRITES,
     .leaves_running = true,
     .run = verb_plan},
    {.name = "backup",
     .summary = "save the flash to an archive tied to the board",
     .usage = "[FILE]",
     .description =
         "Reads the flash into an archive that belongs to this board. Without a name it\n"
         "goes into the folder of backups, named by address and time. The file appears\n"
         "under its name only when it is complete and its SHA-256 is the board's.",
     .options = APP_LINK | APP_LAYOUT | APP_KNOWN | APP_LEDGER,
     .leaves_running = true,
     .run = verb_backup},
    {.name = "restore",
     .summary = "put an archive back on its board",
     .usage = "ARCHIVE",
     .description =
         "Puts a backup back onto the board it comes from. The archive's digests, chip,\n"
         "flash size and board address are checked before anything is changed; sectors\n"
         "that are right already are left alone.",
     .options = APP_LINK | APP_DRY_RUN | APP_EVERY | APP_KNOWN | APP_LEDGER,
     .run = verb_restore},
    {.name = "erase",
     .summary = "erase all of the flash, regions or ranges",
     .usage = "all | REGION… | OFFSET+LENGTH…",
     .description =
         "Erases the parts named, and checks that they are blank. What shares a sector\n"
         "with them stays as it is. Says first what will be lost; --dry-run stops there.",
     .options = APP_LINK | APP_DRY_RUN | APP_LAYOUT | APP_EVERY | APP_LEDGER,
     .run = verb_erase},
    {.name = "write",
     .summary = "write images at their places and check them",
     .usage = "PLACEMENT…",
     .description =
         "A placement is REGION=FILE, OFFSET=FILE, or a FILE that says itself where it\n"
         "goes: HEX and S-records, programs with a boot header, region tables. FILE may\n"
         "be shelf:NAME, for a settings region settings as FILE.yaml, for a files region\n"
         "a folder. Writes the sectors that differ and compares the board's\n"
         "SHA-256 of all of it with that of the files. Everything else in the flash\n"
         "stays as it is. Chip, flash size, places and boot headers are checked first.\n"
         "A write that was interrupted is resumed by saying it again.",
     .options =
         APP_LINK | APP_DRY_RUN | APP_IMAGES | APP_WRITES | APP_EVERY | APP_KNOWN | APP_LEDGER,
     .run = verb_write},
    {.name = "verify",
     .summary = "compare images or an archive with what the flash holds",
     .usage = "PLACEMENT… | ARCHIVE",
     .description =
         "Compares images, or a backup archive, with the flash by the board's SHA-256,\n"
         "and says and draws where they differ. Changes nothing. Exit code 6 when\n"
         "anything differs. The flash size in boot headers is compared as write sets it.",
     .options = APP_LINK | APP_IMAGES,
     .leaves_running = true,
     .run = verb_verify},
    {.name = "start",
     .summary = "leave loading mode and run the firmware",
     .usage = "",
     .description =
         "Restarts the board into its firmware and shows what it prints first. With\n"
         "--listen it stays at the line as 'wrytograph listen' does; with --expect it is a check.",
     .options = APP_LINK | APP_LISTEN | APP_NO_WORDS,
     .run = verb_start},
    {.name = "listen",
     .summary = "a serial terminal that can check what the board says",
     .usage = "",
     .description =
         "Shows what the board says and sends what is typed or piped in. Ctrl-X leaves.\n"
         "When what arrives is not readable, the usual speeds are tried. With --expect\n"
         "it is a check. --speed is the speed to begin with, else 115200.",
     .options = APP_LINK | APP_NO_WORDS,
     .run = verb_listen},
    {.name = "card",
     .summary = "run a job card, on one board, on many, or on one after another",
     .usage = "check CARD… | run CARD | pack CARD | keys NAME",
     .description =
         "A card is a YAML file that describes one job that is repeated board by board:\n"
         "what it is for, what is backed up, erased and written, which settings each board\n"
         "gets, and what it must say after the start (docs/card.md). A kit is a card with\n"
         "all its files in one ZIP, signed or not.\n"
         "  check  finds all mistakes, without a board\n"
         "  run    does it, and ends in one line: PASSED, or FAILED and where\n"
         "  pack   makes a kit\n"
         "  keys   makes a key to sign kits with",
     .options = APP_LINK | APP_LINKS | APP_DRY_RUN | APP_KNOWN | APP_LEDGER,
     .run = verb_card},
    {.name = "ledger",
     .summary = "show what was done to which board",
     .usage = "list | show RUN | export | send | report | label BOARD",
     .description =
         "Every run of a card, every write, restore, erase and backup is on record: in the\n"
         "user's own file, or in one that --ledger or WRYTOGRAPH_LEDGER names, or in a\n"
         "PostgreSQL database (postgresql://USER@HOST/DATABASE) that several benches share.\n"
         "  list    the latest runs, of all boards or as the options say\n"
         "  show    one run with all its steps\n"
         "  export  all that is on record, as CSV or JSON\n"
         "  send    what waits on this computer goes to the server\n"
         "  report  a page about boards and cards, in one HTML file\n"
         "  label   a small label of a board, as SVG",
     .options = APP_LEDGER,
     .run = verb_ledger},
    {.name = "shelf",
     .summary = "keep images by content, and say which fit a board",
     .usage = "add FILE|FOLDER|ZIP… | list | prefer NAME [VERSION] | remove NAME [VERSION]",
     .description =
         "Keeps images under their SHA-256, with what their boot headers say. 'list' says\n"
         "which fit the board on --link, or --chip and --flash. 'write app=shelf:NAME' takes\n"
         "the one that fits; where several do, the one that is preferred, or none. The shelf\n"
         "is in WRYTOGRAPH_SHELF, else in the user's data folder.",
     .options = APP_LINK,
     .leaves_running = true,
     .run = verb_shelf},
    {.name = "bench",
     .summary = "make, list, spoil and serve simulated boards",
     .usage = "add NAME --chip CHIP --flash SIZE | list | fault NAME FAULT… |\n"
              "       press NAME BUTTON… | remove NAME | serve [NAME…]",
     .description = "Simulated boards: each is a folder with board.yaml and flash.bin. Faults:\n"
                    "  none            take all faults away\n"
                    "  strap-released  the boot strap never reaches the chip\n"
                    "  unpowered       the board has no power\n"
                    "  no-ground       adapter and board share no ground\n"
                    "  swapped         TX is wired to TX, RX to RX\n"
                    "  echo            the adapter's TX is joined to its RX\n"
                    "  brown-out       the supply gives way when the board works hard\n"
                    "  loader=BAUD     the loader listens at another speed than 115200\n"
                    "  console=BAUD    the firmware speaks at another speed than its chip's\n"
                    "  line-end=END    the firmware wants lines to end in lf, cr or crlf\n"
                    "  tx-open         the wire from the adapter's TX is open\n"
                    "  rx-open         the wire to the adapter's RX is open\n"
                    "  strap-stuck     the boot strap is always held\n"
                    "  noise=RATE      bit errors per bit, up to 0.1\n"
                    "  cable=BAUD      the cable garbles anything faster\n"
                    "  to-board=BAUD   the wire to the board does; from-board=BAUD, that from it\n"
                    "  off-speed=PERCENT  the board's speeds are off by so much, up to 10\n"
                    "  late-rts=TIME   the adapter sets RTS so much later than DTR\n"
                    "  protect=BITS    block-protect bits of the flash, such as 0x14\n"
                    "  claims=SIZE     the flash claims another size than it has\n"
                    "  erases=SIZE     the flash erases no less at a time, such as 256KiB\n"
                    "  busy=TIME       the flash is at work for so long when the power comes\n"
                    "  power-cut=N     the power fails within the N-th flash operation of a run\n"
                    "  cable-cut=N     the cable is pulled after N bytes to the board\n"
                    "  unplugged=N     the adapter is, and plugged in again 3 s later",
     .options = APP_BENCH,
     .run = verb_bench},
    {.name = NULL},
};

const struct verb *verbs_find(const char *name)
{
    for (const struct verb *verb = verbs; verb->name; verb++) {
        if (g_strcmp0(verb->name, name) == 0)
            return verb;
    }
    return NULL;
}
