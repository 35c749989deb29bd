/*
 * The sentence and the advice for each problem. Facts in braces are those of problem_facts.c. A
 * sentence begins in lower case and has no full stop, since it follows the name of the program;
 * advice consists of whole sentences.
 */
#include "problem_table.h"

#include "wrytograph-host/problem.h"

#define UNCHANGED "Nothing was changed."
#define RIGHT_BOARD UNCHANGED " Check that the right board is connected."
#define AGAIN "Run the same command again: repeating it is safe."
#define REPORT "Please report this."
#define LINKS                                                                                      \
    "Use --link /dev/ttyUSB0, rfc2217://HOST:PORT, tcp://HOST:PORT or bench:NAME, or set "         \
    "WRYTOGRAPH_LINK."
#define MEND_JOURNAL                                                                               \
    "It stores what an erase puts at risk, so nothing is erased without it. Repair it, or set "    \
    "WRYTOGRAPH_STATE to another folder. Then run the same command again."
#define BUILD_AGAIN "Build or download the image again."
#define OTHER_IMAGE UNCHANGED " Use the image that was built for this board."
#define LOOK_AT_PLAN UNCHANGED " Check the offset against the layout: 'wrytograph plan' draws it."
#define INSTEAD UNCHANGED " It is for region '{other}': write {other}={subject}."
#define WHICH_FILE UNCHANGED " Check which file goes where."
#define ANY_PLACE                                                                                  \
    UNCHANGED " 'wrytograph plan' draws the layout. If you want this, add --any-place."
#define KEEP_FIRST                                                                                 \
    UNCHANGED " Run 'wrytograph backup' first, or add --without-backup if this content may be "    \
              "lost."
#define IMAGE_TAKES "{subject} ({start} to {last})"

const struct template_row problem_table[] = {
    {WRY_PROBLEM_SYSTEM, NULL, "{cause}", "{error_advice}"},
    {WRY_PROBLEM_STOPPED, NULL, "stopped at your request", NULL},

    /* The link. */
    {WRY_PROBLEM_NO_LINK, NULL, "no link given, and there is no USB adapter", LINKS},
    {WRY_PROBLEM_MANY_ADAPTERS, NULL, "no link given, and there are {adapter_count} adapters",
     "Choose one with --link:{adapters}"},
    {WRY_PROBLEM_BAD_LINK, NULL, "'{subject}' is not a link", LINKS},
    {WRY_PROBLEM_BAD_HOST, NULL, "'{subject}' is not an address",
     "Write it as HOST:PORT, or [ADDRESS]:PORT for IPv6."},
    {WRY_PROBLEM_BAD_LINK_SETTING, NULL, "'{subject}' is not a setting of this link",
     "Only tcp:// takes one: tcp://HOST:PORT?speed=BAUD, for a far end whose speed is fixed."},
    {WRY_PROBLEM_NOT_THAT_CHIP, NULL,
     "this board has a {board_chip} (code {chip_code}), not a {chip}", RIGHT_BOARD},
    {WRY_PROBLEM_NOT_THAT_FLASH, NULL,
     "this board has {found_flash} of flash, not {expected_flash}", RIGHT_BOARD},
    {WRY_PROBLEM_NO_JOURNAL, NULL, "the journal cannot be used: {cause}", MEND_JOURNAL},
    {WRY_PROBLEM_JOURNAL_STOPPED, NULL, "stopped at your request", UNCHANGED},
    {WRY_PROBLEM_JOURNAL_FAILED, NULL, "the journal {subject} failed: {other}", MEND_JOURNAL},
    {WRY_PROBLEM_ERASE_STOPPED, NULL, "stopped at your request", "Nothing was erased."},

    /* Layouts and parts. */
    {WRY_PROBLEM_LAYOUT_CHIP, NULL, "{subject} is a layout for a {chip}",
     "Use the layout that was made for this chip."},
    {WRY_PROBLEM_LAYOUT_FLASH, NULL,
     "{subject} is a layout for {found_flash} of flash, not {expected_flash}",
     "Use the layout that was made for this flash size."},
    {WRY_PROBLEM_NO_REGION, NULL, "there is no region '{subject}'", "Regions here: {names}."},
    {WRY_PROBLEM_BAD_PART, NULL, "'{subject}' is not a range",
     "Write it as OFFSET+LENGTH, such as 0x10000+16K."},
    {WRY_PROBLEM_PART_BEYOND, NULL,
     "the range {subject} ends beyond the end of the flash ({expected_flash})", UNCHANGED},
    {WRY_PROBLEM_PARTS_SHARE, NULL, "two of the ranges overlap from {start} to {last}",
     UNCHANGED " Name each part once."},
    {WRY_PROBLEM_PART_UNFIT, NULL, "the range at {start} does not fit the flash", UNCHANGED},

    /* Images. */
    {WRY_PROBLEM_NO_IMAGES, NULL, "no images given",
     "Give REGION=FILE or OFFSET=FILE, such as 0x4000=start.bin."},
    {WRY_PROBLEM_BAD_OFFSET, NULL, "'{subject}' in '{subject}={other}' is not an offset",
     "Write offsets in hexadecimal with 0x in front, such as 0x4000, or as 16K."},
    {WRY_PROBLEM_NO_PLACE, NULL,
     "{subject} is raw binary without a boot header: it does not say where it goes",
     "Write it as OFFSET=FILE or REGION=FILE, such as 0x4000=start.bin."},
    {WRY_PROBLEM_TWO_PLACES, NULL,
     "{subject} carries its own addresses; an offset for it is ambiguous",
     "Give the file alone, or REGION=FILE."},
    {WRY_PROBLEM_HEADER_DAMAGED, NULL, "{subject}: the boot header is damaged", BUILD_AGAIN},
    {WRY_PROBLEM_CUT_SHORT, NULL,
     "{subject}: cut short: the boot header promises {expected} bytes, the file has {found}",
     BUILD_AGAIN},
    {WRY_PROBLEM_BODY_DAMAGED, NULL,
     "{subject}: damaged: the SHA-256 at its end does not fit its content", BUILD_AGAIN},
    {WRY_PROBLEM_FOR_OTHER_CHIP, NULL,
     "{subject} was built for a {chip}, this board has a {found_chip}", OTHER_IMAGE},
    {WRY_PROBLEM_FOR_LARGER_FLASH, NULL,
     "{subject} was built for {expected_flash} of flash, this board has {found_flash}",
     OTHER_IMAGE},
    {WRY_PROBLEM_FILE_CHANGED, NULL, "{subject} changed while it was being written",
     "The flash may hold a part of each. Run the same command again, when the file is complete."},
    {WRY_PROBLEM_NO_FIRMWARE, NULL, "{subject} {content}", UNCHANGED " {content_advice}"},
    {WRY_PROBLEM_NO_PROGRAM, NULL,
     "{subject} has no boot header: a {chip} would not start it from region '{region}'",
     UNCHANGED " Write the image with its header. --any-content writes it anyway, but the board "
               "will not start from it."},
    {WRY_PROBLEM_RECORDS_AS_BIN, NULL,
     "{subject} has the name of a binary, but contains {other} text",
     UNCHANGED " Rename it to .hex or .srec, or add --as hex or --as srec."},
    {WRY_PROBLEM_READ_MODE, NULL,
     "{subject} requires {expected} data lines at {found} MHz; a {chip} supports {chip_lines} at "
     "{chip_clock} MHz",
     UNCHANGED " --read-mode and --read-clock set supported values."},
    {WRY_PROBLEM_ONLY_UPGRADE, NULL,
     "{subject} is meant only as an upgrade, and there is no program on this board yet",
     UNCHANGED " Write the full image first."},

    /* Their places. */
    {WRY_PROBLEM_OUTSIDE_REGION, "other",
     IMAGE_TAKES " does not fit region '{region}' ({region_start} to {region_last})", INSTEAD},
    {WRY_PROBLEM_OUTSIDE_REGION, NULL,
     IMAGE_TAKES " does not fit region '{region}' ({region_start} to {region_last})", WHICH_FILE},
    {WRY_PROBLEM_PROGRAM_NOWHERE, NULL, "{subject} is a program, but no region begins at {start}",
     LOOK_AT_PLAN},
    {WRY_PROBLEM_PROGRAM_AT_KIND, NULL,
     "{subject} is a program, but {start} lies in region '{region}', which is for {region_kind}",
     LOOK_AT_PLAN},
    {WRY_PROBLEM_PROGRAM_IN_KIND, "other",
     "{subject} is {program}, but region '{region}' is for {region_kind}", INSTEAD},
    {WRY_PROBLEM_PROGRAM_IN_KIND, NULL,
     "{subject} is {program}, but region '{region}' is for {region_kind}", WHICH_FILE},
    {WRY_PROBLEM_PROGRAM_NOT_FIRST, NULL,
     "{subject} is a program, but {start} is not the start of region '{region}' ({region_start})",
     LOOK_AT_PLAN},
    {WRY_PROBLEM_PROGRAM_BEYOND, NULL,
     "{subject} ends at {last}, beyond region '{region}', which ends at {region_last}",
     LOOK_AT_PLAN},
    {WRY_PROBLEM_IMAGE_BEYOND, NULL,
     "{subject} at {start} ends at {end}, beyond the end of the flash ({found_flash})",
     UNCHANGED " Check the offset, and that the image fits this board."},
    {WRY_PROBLEM_IMAGES_SHARE, NULL, "{subject} and {other} overlap from {start} to {last}",
     UNCHANGED " Check the places of the two files."},
    {WRY_PROBLEM_OTHER_KIND, "other",
     "{subject} is {program}, but region '{region}' is for {other_program}",
     UNCHANGED " Its header says that it is {program}, which belongs in region '{other}': write "
               "{other}={subject}."},
    {WRY_PROBLEM_OTHER_KIND, NULL,
     "{subject} is {program}, but region '{region}' is for {other_program}",
     UNCHANGED " Its header says that it is {program}, and no region here fits it."},
    {WRY_PROBLEM_SWAPPED, NULL,
     "the two files are swapped: {subject} is {program}, {other} is {other_program}",
     UNCHANGED " Put each in the other's place."},
    {WRY_PROBLEM_REGION_TWICE, NULL, "{subject} and {other} are both for region '{region}'",
     UNCHANGED " Give one of them, or another region."},
    {WRY_PROBLEM_NO_PLACE_FITS, NULL, "{subject} is {program}, and no region here fits it",
     UNCHANGED " Check that it is for this board."},
    {WRY_PROBLEM_MANY_PLACES, NULL, "{subject} would fit several regions: {names}",
     "Choose one, such as {first_name}={subject}."},
    {WRY_PROBLEM_FOLDER_KIND, "region",
     "{subject} is a folder, and region '{region}' is not for files",
     UNCHANGED " Folders go into regions for files, as archives."},
    {WRY_PROBLEM_FOLDER_KIND, NULL,
     "{subject} is a folder, and its place is not a region for files",
     UNCHANGED " Folders go into regions for files, as archives."},
    {WRY_PROBLEM_ACROSS, NULL,
     IMAGE_TAKES " extends across an end of region '{region}' ({region_start} to "
                 "{region_last}){touched}",
     ANY_PLACE},
    {WRY_PROBLEM_OVER_SETTINGS, NULL,
     IMAGE_TAKES " would overwrite region '{region}', which holds settings of this board{touched}",
     ANY_PLACE},
    {WRY_PROBLEM_OVER_TABLE, NULL,
     IMAGE_TAKES " would overwrite the region table at {region_start}{touched}", ANY_PLACE},
    {WRY_PROBLEM_FOREIGN_SETTINGS, NULL,
     "{subject} holds region '{region}' of board {address}, this is board {found_address}",
     UNCHANGED " Calibration and identity belong to one board.\n"
               "If you want this, add --from-another-board."},

    /* A region table in the job. */
    {WRY_PROBLEM_NO_TABLE, NULL, "{subject} is not a region table, but a {chip} expects one there",
     UNCHANGED " Write the region table there. --any-content writes it anyway, but the board will "
               "not start."},
    {WRY_PROBLEM_TABLE_ELSEWHERE, NULL,
     "{subject} is a region table, but region '{region}' is for a program",
     UNCHANGED " Write table=FILE, or the file alone."},
    {WRY_PROBLEM_TABLE_FLASH, NULL,
     "{subject} is a region table for {expected_flash} of flash, this board has {found_flash}",
     UNCHANGED " Use the table that was made for this flash size."},
    {WRY_PROBLEM_TABLE_UNFIT, NULL,
     "{subject}: region '{region}' ({region_start}, {region_kib} KiB) does not fit this flash "
     "({found_flash}), or another region",
     UNCHANGED " Use a table that was made for this flash size."},
    {WRY_PROBLEM_APP_LEFT, NULL,
     "{subject} moves region '{region}' from {start} to {region_start}, which has no program: the "
     "board would not start",
     UNCHANGED " Write the application in the same command: {region}=FILE. To write it later, add "
               "--any-place."},

    /* Settings. */
    {WRY_PROBLEM_SETTINGS_ROOM, "any_expected",
     "{subject}: its settings block takes {found} bytes, a copy in region '{region}' has room for "
     "{expected}",
     UNCHANGED " Take settings out, or make the region larger."},
    {WRY_PROBLEM_SETTINGS_ROOM, NULL,
     "{subject}: its settings block takes {found} bytes, a copy in region '{region}' has room for "
     "{expected}",
     UNCHANGED " A settings block needs two sectors, one for each copy."},
    {WRY_PROBLEM_NO_SETTINGS, "any_found", "region '{region}' holds a damaged settings block",
     UNCHANGED " Write all settings from a file: {region}=FILE.yaml."},
    {WRY_PROBLEM_NO_SETTINGS, NULL, "region '{region}' holds no settings block",
     UNCHANGED " Write all settings from a file: {region}=FILE.yaml."},
    {WRY_PROBLEM_NO_BLOCKS, NULL, "no region of this board holds a settings block",
     UNCHANGED " Write all settings from a file: REGION=FILE.yaml."},
    {WRY_PROBLEM_MANY_BLOCKS, NULL, "several regions hold a settings block: {names}",
     "Write --set {first_name}/KEY=VALUE."},
    {WRY_PROBLEM_BAD_SETTING, "unknown_setting", "--set: {cause}",
     UNCHANGED " 'wrytograph identify' lists the board's settings. To add a new one, use --set-new "
               "{subject}=VALUE, in a card set-new."},
    {WRY_PROBLEM_BAD_SETTING, NULL, "--set: {cause}", UNCHANGED},
    {WRY_PROBLEM_NOT_SETTINGS, NULL,
     "{subject} contains no settings, but region '{region}' is for settings",
     UNCHANGED " Use a settings file: {region}=FILE.yaml (docs/settings-block.md). If the firmware "
               "stores something else there, add --any-content."},
    {WRY_PROBLEM_SETTINGS_LOST, NULL,
     "these settings in region '{region}' would be lost, and no known backup of board {address} "
     "has them",
     "  {names_listed}\n" KEEP_FIRST},
    {WRY_PROBLEM_CONTENT_LOST, NULL,
     "the content of region '{region}' would be lost, and no known backup of board {address} has "
     "it",
     KEEP_FIRST},

    /* The shelf. */
    {WRY_PROBLEM_SHELF_NONE, NULL, "there is no '{subject}' on the shelf",
     "The shelf has:{shelf_listed}"},
    {WRY_PROBLEM_SHELF_MANY, NULL, "several of '{subject}' on the shelf fit this board",
     "Name one, such as 'shelf:{first_name}', or choose one with 'wrytograph shelf "
     "prefer':{shelf_listed}"},
    {WRY_PROBLEM_SHELF_UNFIT, NULL, "none of '{subject}' on the shelf fits this board",
     UNCHANGED " 'wrytograph shelf list --link …' shows why. The shelf has:{shelf_listed}"},

    /* Backups. */
    {WRY_PROBLEM_NO_BACKUP, "other",
     "no backup of the whole flash of board {address} is known (only of parts: {other})",
     UNCHANGED " Calibration and identity of this board would be lost. Run 'wrytograph backup' "
               "first. If there is nothing to lose, add --without-backup."},
    {WRY_PROBLEM_NO_BACKUP, NULL, "no backup of the whole flash of board {address} is known",
     UNCHANGED " Calibration and identity of this board would be lost. Run 'wrytograph backup' "
               "first. If there is nothing to lose, add --without-backup."},
    {WRY_PROBLEM_BACKUPS_UNREAD, NULL, "the record of backups cannot be read: {cause}",
     UNCHANGED " Repair it, or add --without-backup if there is nothing to lose."},

    /* Archives. */
    {WRY_PROBLEM_ARCHIVE_CHIP, NULL, "{subject} comes from a {chip}, this board has a {found_chip}",
     UNCHANGED},
    {WRY_PROBLEM_ARCHIVE_FLASH, NULL,
     "{subject} comes from a board with {expected_flash} of flash, this one has {found_flash}",
     UNCHANGED},
    {WRY_PROBLEM_ARCHIVE_BOARD, NULL,
     "{subject} comes from board {address}, this is board {found_address}",
     UNCHANGED " A backup holds the calibration and identity of its board.\n"
               "If you want this, add --from-another-board."},
    {WRY_PROBLEM_OLDER_BOARD, NULL, "{subject} comes from board {address}, this is {found_address}",
     "Use a backup of this board."},
    {WRY_PROBLEM_ARCHIVE_RANGE, NULL, "{subject}: a range at {start} does not fit", UNCHANGED},
    {WRY_PROBLEM_ARCHIVE_PART, NULL, "{subject} does not hold all of {other}",
     UNCHANGED " 'wrytograph inspect' shows its content."},
    {WRY_PROBLEM_ARCHIVE_MOVED, NULL,
     "region '{other}' is at {start} in {subject}, but at {region_start} on this board",
     UNCHANGED " The board's region table has changed since. Restore the table as well, or the "
               "whole archive."},
    {WRY_PROBLEM_UNKNOWN_ORIGIN, NULL,
     "{subject} is a plain binary: it does not say which board it comes from",
     UNCHANGED " If it is for this board, add --from-another-board."},
    {WRY_PROBLEM_PLAIN_LENGTH, NULL,
     "{subject} has {found} bytes, the flash of this board {expected_flash}",
     UNCHANGED " To restore a part, use 'wrytograph write OFFSET=FILE'."},
    {WRY_PROBLEM_PLAIN_PARTS, NULL, "a plain binary holds one part only",
     "Back the parts up one by one, or without --plain."},
    {WRY_PROBLEM_NO_ROOM, NULL, "no room for the backup: the disk is full or a limit is reached",
     "Make room and run the same command again."},
    {WRY_PROBLEM_ARRIVED_WRONG, NULL,
     "content received from {start} on does not match the board's SHA-256",
     "Run the same command again."},

    /* Cards. */
    {WRY_PROBLEM_CARD_FLASH, NULL,
     "the card '{subject}' is for boards with {names_or} of flash, this one has {found_flash}",
     UNCHANGED},
    {WRY_PROBLEM_CARD_REVISION, NULL,
     "the card '{subject}' is for chip revision {expected} and later, this is revision {found}",
     UNCHANGED},
    {WRY_PROBLEM_CARD_HOLDS, "other",
     "region '{region}' should contain {subject}, but contains {other}",
     UNCHANGED " Is this a board that the card is for?"},
    {WRY_PROBLEM_CARD_HOLDS, NULL,
     "region '{region}' should contain {subject}, but contains no program",
     UNCHANGED " Is this a board that the card is for?"},
    {WRY_PROBLEM_CARD_UNCOUNTED, NULL,
     "the number of earlier runs of this card is not known: {cause}",
     UNCHANGED " Repair the access to the ledger, or add --again to ignore earlier runs."},
    {WRY_PROBLEM_CARD_ROW, NULL, "{cause}", "See the table of boards that the card names."},
    {WRY_PROBLEM_CARD_ADDRESS, NULL,
     "another board with the address {address} is being worked on, and a row of the table is for "
     "one board",
     UNCHANGED
     " Disconnect one of the two boards: a restore may have given one the other's identity."},
    {WRY_PROBLEM_CARD_ERASES, NULL,
     "the card erases region '{region}', but its {subject} needs the region's current content",
     UNCHANGED " Take the region out of 'erase', or write all settings from a file."},

    /* What was found out. */
    {WRY_PROBLEM_FLASH_REPEATS, NULL,
     "the flash claims {expected_flash}, but its content repeats every {found_flash}",
     "Do not write to it as the larger one: content would overwrite itself."},
    {WRY_PROBLEM_IMAGES_DIFFER, "one_image",
     "the flash differs from the image, first at offset {start}",
     "'wrytograph write' with the same arguments repairs it."},
    {WRY_PROBLEM_IMAGES_DIFFER, NULL,
     "the flash differs from all the images, first at offset {start}",
     "'wrytograph write' with the same arguments repairs it."},
    {WRY_PROBLEM_ARCHIVE_DIFFERS, NULL,
     "the flash differs from the archive, first at offset {start}",
     "'wrytograph restore' with the same archive repairs it."},
    {WRY_PROBLEM_LINK_GONE, NULL, "the link {subject} is gone",
     "Check the cable and run the same command again."},
    {WRY_PROBLEM_NOT_SEEN, "first_name", "\"{subject}\" was not seen{after_line}", "{first_name}"},
    {WRY_PROBLEM_NOT_SEEN, "any_found", "\"{subject}\" was not seen{after_line}",
     "Its output is above."},
    {WRY_PROBLEM_NOT_SEEN, NULL, "\"{subject}\" was not seen{after_line}",
     "The board printed nothing. Check speed and line ending."},
    {WRY_PROBLEM_NOTHING_TO_RUN, NULL, "the board found nothing to run in its flash",
     "Its output above gives the reason. 'wrytograph identify' shows the content of the flash; "
     "'wrytograph write' writes programs."},
    {WRY_PROBLEM_IN_LOADING_MODE, NULL,
     "the board is in loading mode: its loader answers, no firmware runs",
     "'wrytograph start' runs the firmware. If the board comes back here, its boot strap is still "
     "held."},
    {WRY_PROBLEM_STRAP_HELD, NULL,
     "the board went into loading mode instead of running its firmware: its boot strap is still "
     "held",
     "Release the boot button, or remove the strap's jumper. Then tap reset, or run the same "
     "command again."},
    {WRY_PROBLEM_NONE, NULL, "a problem without a name ({kind})", REPORT},
};
const size_t problem_table_size = G_N_ELEMENTS(problem_table);

const struct template_row problem_table_session[] = {
    {WRY_NO_ANSWER, NULL, "no answer from the board on {subject}",
     "Heard: {heard}. {verdict}\nFirst: {check} 'wrytograph examine' looks closer."},
    {WRY_LINK_LOST, "frames_counted",
     "the line to {subject} loses nearly everything: {fault_found} of the last {fault_expected} of "
     "the shortest frames at {speed} baud",
     "Improve the cable first: shorter, away from the supply, with its ground connected. Then run "
     "the same command again: repeating it is safe."},
    {WRY_LINK_LOST, "finding", "the board on {subject} stopped answering",
     "{finding}\n"
     "First: {check} Then run the same command again: repeating it is safe."},
    {WRY_LINK_LOST, NULL, "the board on {subject} stopped answering", AGAIN},
    {WRY_PORT_GONE, NULL,
     "the port {subject} disappeared and did not come back; the state of the board is unknown",
     "Is the adapter plugged in, or its server running? 'wrytograph ports' lists the ports. Then "
     "run the same command again: repeating it is safe."},
    {WRY_WRONG_BOARD, NULL, "another board answered in the middle of the work",
     "Connect the first board again and repeat the command."},
    {WRY_DIFFERS, NULL,
     "the flash does not hold what was sent, between {fault_start} and {fault_last}", AGAIN},
    {WRY_STALLED, NULL, "the board's work no longer advances at offset {fault_start}",
     "Is its cable still in? If so, its flash may be stuck: switch the board off and on. Then run "
     "the same command again."},
    {WRY_CONTRADICTED, NULL,
     "the board's answers contradict each other between {fault_start} and {fault_last}: its digest "
     "does not match the content it sends",
     "Do not rely on this board: its flash or its supply gives different content at different "
     "times."},
    {WRY_FLASH_FAILED, NULL,
     "a page does not hold what was written to it: the flash failed at offset {fault_start}",
     "The flash may be worn out."},
    {WRY_FLASH_SILENT, NULL,
     "the board answers, but its flash does not: the JEDEC ID reads {jedec}",
     "The flash may be missing, badly soldered, or in power-down mode: switch the board off and "
     "on."},
    {WRY_FLASH_LIMITED, NULL, "this flash cannot be written sector by sector: {limit}",
     UNCHANGED " 'backup', 'verify' and 'identify' work with this flash; 'write', 'erase' and "
               "'restore' would destroy neighbouring content and are refused."},
    {WRY_FLASH_SMALLER, NULL,
     "the flash claims {fault_size}, but from {fault_start} on it repeats itself: content would "
     "overwrite itself",
     "'wrytograph identify --deep' finds the real size; if both halves really hold the same "
     "content, add --expect-flash."},
    {WRY_PROTECTED, "fault_last", "the flash is write-protected from {fault_start} to {fault_last}",
     UNCHANGED " Leave that part alone, or add --clear-protection, which clears the flash's "
               "protection bits permanently."},
    {WRY_PROTECTED, NULL,
     "the flash does not change: it is write-protected at offset {fault_start}",
     "Its block-protect bits are set. Add --clear-protection to clear them permanently. If that "
     "does not help, its write-protect pin is active."},
    {WRY_BAD_RANGE, NULL, "the board refused the range at offset {fault_start}",
     "Check the offsets against the board's flash size."},
    {WRY_SOURCE_FAILED, NULL, "a file could not be read for the content at offset {fault_start}",
     AGAIN},
    {WRY_SINK_FAILED, NULL, "content read at offset {fault_start} could not be stored", AGAIN},
    {WRY_STOPPED, "written_to", "stopped at your request; done up to {written_to}", AGAIN},
    {WRY_STOPPED, NULL, "stopped at your request", AGAIN},
    {WRY_UNSUPPORTED, NULL, "the board does not speak this version of the protocol",
     "Use a version of wrytograph that fits the board."},
    {WRY_REFUSED, NULL, "the board's answers make no sense (error code {fault_found})",
     "Its loader violates the protocol, or its supply is poor: press its reset and run the same "
     "command again. If that ends in the same way, use another board."},
    {WRY_OK, NULL, "a request broke the library's own rules (status {status})", REPORT},
    {WRY_BAD_ARGUMENT, NULL, "a request broke the library's own rules (status {status})", REPORT},
    {WRY_JOURNAL_FAILED, NULL, "a request broke the library's own rules (status {status})", REPORT},
    {WRY_OVERLAP, NULL, "a request broke the library's own rules (status {status})", REPORT},
};
const size_t problem_table_session_size = G_N_ELEMENTS(problem_table_session);
