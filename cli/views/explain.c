/* Problems of link, board and session as sentences. */
#include "explain.h"

#include <string.h>

#include "base/units.h"
#include "bench/bench_folder.h"
#include "findings.h"
#include "store/file/error.h"
#include "words.h"
#include "wrytograph-host/remote.h"
#include "wrytograph-host/serial.h"

static const char links[] =
    "Use --link /dev/ttyUSB0, rfc2217://HOST:PORT, tcp://HOST:PORT or bench:NAME, or set "
    "WRYTOGRAPH_LINK.";
static const char again[] = "What was not finished is safe to repeat: run the same command again.";
static const char right_board[] = "Nothing was changed. Check that the right board is connected.";
static const char journal_advice[] =
    "It keeps what an erase puts at risk, so nothing is erased without it. Mend that, or set "
    "WRYTOGRAPH_STATE to another folder, then run the same command again.";

static const char *next_of_serial(int code)
{
    switch ((enum wry_serial_error)code) {
    case WRY_SERIAL_ERROR_MISSING:
        return "'wrytograph ports' lists the ports there are.";
    case WRY_SERIAL_ERROR_PERMISSION:
        return "'sudo adduser $USER GROUP' puts you into a group, on most systems dialout; then "
               "log "
               "in again.";
    case WRY_SERIAL_ERROR_BUSY:
        return "Close that program, then run the same command again. 'wrytograph ports' shows who "
               "holds which port.";
    case WRY_SERIAL_ERROR_OTHER:
        break;
    }
    return NULL;
}

static const char *next_of_remote(int code)
{
    switch ((enum wry_remote_error)code) {
    case WRY_REMOTE_ERROR_NO_COM_PORT:
        return "For a raw pipe of bytes, use tcp:// instead.";
    case WRY_REMOTE_ERROR_BUSY:
        return "End the other program, or wait for it, then run the same command again.";
    case WRY_REMOTE_ERROR_CONNECT:
        return "Check host and port, and that the server runs.";
    case WRY_REMOTE_ERROR_STOPPED:
        break;
    }
    return NULL;
}

static const char *next_of_bench(int code)
{
    switch ((enum bench_error)code) {
    case BENCH_ERROR_UNKNOWN:
        return "'wrytograph bench list' shows the boards there are.";
    case BENCH_ERROR_BUSY:
        return "Wait until it has finished, or stop it.";
    case BENCH_ERROR_BAD_NAME:
    case BENCH_ERROR_BAD_VALUE:
    case BENCH_ERROR_EXISTS:
    case BENCH_ERROR_DAMAGED:
    case BENCH_ERROR_FILE:
        break;
    }
    return NULL;
}

static const char *next_of(const GError *error)
{
    if (error->domain == WRY_SERIAL_ERROR)
        return next_of_serial(error->code);
    if (error->domain == WRY_REMOTE_ERROR)
        return next_of_remote(error->code);
    if (error->domain == BENCH_ERROR)
        return next_of_bench(error->code);
    if (g_error_matches(error, STORE_ERROR, STORE_ERROR_NONE))
        return "'wrytograph shelf list' shows what is there.";
    return g_error_matches(error, STORE_ERROR, STORE_ERROR_EXISTS)
               ? "Choose another name, or say --replace."
               : NULL;
}

/* Of what a person named, where nothing was connected to. */
static enum exit_code code_of(const GError *error)
{
    if (g_error_matches(error, STORE_ERROR, STORE_ERROR_EXISTS) ||
        g_error_matches(error, STORE_ERROR, STORE_ERROR_NONE))
        return EXIT_USAGE;
    if (error->domain != BENCH_ERROR)
        return EXIT_BAD_INPUT;
    switch ((enum bench_error)error->code) {
    case BENCH_ERROR_BUSY:
        return EXIT_NO_ANSWER;
    case BENCH_ERROR_DAMAGED:
    case BENCH_ERROR_FILE:
        return EXIT_BAD_INPUT;
    default:
        return EXIT_USAGE;
    }
}

int explain_error(struct app *app, GError *error)
{
    int code = app_fail(app, code_of(error), next_of(error), "%s", error->message);

    g_error_free(error);
    return code;
}

/* At the offset of the fault. */
static int fail_at(struct app *app, const struct wry_problem *p, const char *next, const char *what)
{
    return app_fail(app, (enum exit_code)p->outcome, next, "%s at offset 0x%06X", what,
                    (unsigned)p->fault.offset);
}

static unsigned first_of(const struct wry_problem *p)
{
    return p->fault.offset;
}

static unsigned last_of(const struct wry_problem *p)
{
    return p->fault.offset + p->fault.length - 1;
}

static int no_answer(struct app *app, const struct wry_problem *p)
{
    enum wry_finding finding = p->evidence.finding;
    g_autofree char *evidence = findings_evidence(&p->evidence);
    g_autofree char *next =
        g_strdup_printf("Heard: %s. %s\nFirst: %s 'wrytograph examine' looks closer.", evidence,
                        findings_cause(finding), findings_checks(finding)[0]);

    return app_fail(app, EXIT_NO_ANSWER, next, "no answer from the board on %s", p->subject);
}

/* Why it may have gone silent, from what was heard since it answered first. */
static int lost(struct app *app, const struct wry_problem *p)
{
    enum wry_finding finding = p->evidence.finding;
    g_autofree char *next = NULL;

    if (p->fault.expected > 0)
        return app_fail(app, EXIT_LINK_LOST,
                        "Mend the cable first: shorter, away from the supply, its ground joined. "
                        "What was not finished is safe to repeat.",
                        "the line to %s loses nearly everything: %u of the last %u of the "
                        "shortest frames at %u baud",
                        p->subject, (unsigned)p->fault.found, (unsigned)p->fault.expected,
                        (unsigned)p->speed);
    if (finding == WRY_FINDING_GOOD)
        return app_fail(app, EXIT_LINK_LOST, again, "the board on %s stopped answering",
                        p->subject);
    next =
        g_strdup_printf("%s\nFirst: %s Then run the same command again: what was not finished is "
                        "safe to repeat.",
                        findings_cause(finding), findings_checks(finding)[0]);
    return app_fail(app, EXIT_LINK_LOST, next, "the board on %s stopped answering", p->subject);
}

static int flash_smaller(struct app *app, const struct wry_problem *p)
{
    g_autofree char *claimed = units_flash_size((uint32_t)p->fault.expected);

    return app_fail(app, EXIT_WRONG,
                    "'wrytograph identify --deep' finds the real size; if you know that both "
                    "halves hold the same, say --expect-flash.",
                    "the flash claims %s, but from 0x%06X on it repeats itself: content would "
                    "overwrite itself",
                    claimed, first_of(p));
}

static int stopped(struct app *app, const struct wry_problem *p)
{
    if (p->fault.step == WRY_STEP_WRITE && p->fault.offset > 0)
        return app_fail(app, EXIT_STOPPED, again,
                        "stopped at your request, with the work done up to 0x%06X", first_of(p));
    return app_fail(app, EXIT_STOPPED, again, "stopped at your request");
}

/* The bits told of it, and nothing was begun; or it showed when something was tried. */
static int is_protected(struct app *app, const struct wry_problem *p)
{
    enum exit_code code = (enum exit_code)p->outcome;

    if (p->fault.length > 0)
        return app_fail(app, code,
                        "Nothing was changed. Leave that part alone, or say --clear-protection to "
                        "clear the bits of the flash that do this, for good.",
                        "the flash is write-protected from 0x%06X to 0x%06X", first_of(p),
                        last_of(p));
    return fail_at(app, p,
                   "Its block-protect bits are set. Say --clear-protection to clear them, for "
                   "good; where that does not help, its write-protect pin does it.",
                   "the flash takes no change: it is write-protected");
}

static int is_limited(struct app *app, const struct wry_problem *p)
{
    g_autofree char *limit = words_limit((uint8_t)p->fault.found, p->fault.expected);

    return app_fail(app, (enum exit_code)p->outcome,
                    "Nothing was changed. 'backup', 'verify' and 'identify' work with this flash; "
                    "'write', 'erase' and 'restore' would change what stands beside, and do not.",
                    "this flash cannot be written sector by sector: %s", limit);
}

static int explain_session(struct app *app, const struct wry_problem *p)
{
    enum exit_code code = (enum exit_code)p->outcome;

    switch (p->status) {
    case WRY_NO_ANSWER:
        return no_answer(app, p);
    case WRY_LINK_LOST:
        return lost(app, p);
    case WRY_PORT_GONE:
        return app_fail(app, code,
                        "Is the adapter plugged in, and its server running? 'wrytograph ports' "
                        "shows what is there. What was not finished is safe to repeat.",
                        "the port %s went away and did not come back: nothing was heard that "
                        "tells of the board",
                        p->subject);
    case WRY_WRONG_BOARD:
        return app_fail(app, code, "Connect the first board again and repeat the command.",
                        "another board answered in the middle of the work");
    case WRY_DIFFERS:
        return app_fail(app, code, again,
                        "the flash does not hold what was sent, between 0x%06X and 0x%06X",
                        first_of(p), last_of(p));
    case WRY_STALLED:
        return fail_at(
            app, p,
            "Is its cable still in? If so, its flash may be stuck: take the board's power "
            "away and put it back. Then run the same command again.",
            "the board's work no longer advances");
    case WRY_CONTRADICTED:
        return app_fail(
            app, code,
            "Do not rely on this board: its flash or its supply gives different content "
            "at different times.",
            "the board's answers contradict each other between 0x%06X and 0x%06X: its "
            "digest and what it sends do not agree",
            first_of(p), last_of(p));
    case WRY_FLASH_FAILED:
        return fail_at(app, p, "The flash may be worn out.",
                       "a page does not hold what was written to it: the flash failed");
    case WRY_FLASH_SILENT:
        return app_fail(app, code,
                        "Its flash may be missing, not soldered well, or held by its power-down "
                        "mode: take the board's power away and put it back.",
                        "the board answers, but its flash does not: the JEDEC ID reads %02X %02X "
                        "%02X",
                        p->jedec[0], p->jedec[1], p->jedec[2]);
    case WRY_FLASH_LIMITED:
        return is_limited(app, p);
    case WRY_FLASH_SMALLER:
        return flash_smaller(app, p);
    case WRY_PROTECTED:
        return is_protected(app, p);
    case WRY_BAD_RANGE:
        return fail_at(app, p, "Check the offsets against the board's flash size.",
                       "the board refused the range");
    case WRY_SOURCE_FAILED:
        return fail_at(app, p, again, "a file could not be read for the content");
    case WRY_SINK_FAILED:
        return fail_at(app, p, again, "what was read could not be kept");
    case WRY_STOPPED:
        return stopped(app, p);
    case WRY_UNSUPPORTED:
        return app_fail(app, code, "Use a version of wrytograph that fits the board.",
                        "the board does not speak this version of the protocol");
    case WRY_REFUSED:
        return app_fail(app, code,
                        "Its loader does not keep to the protocol, or its supply is poor: press "
                        "its reset and run the same command again. If that ends in the same way, "
                        "use another board.",
                        "the board's answers make no sense (error code %u)",
                        (unsigned)p->fault.found);
    case WRY_OK:
    case WRY_BAD_ARGUMENT:
    case WRY_JOURNAL_FAILED:
    case WRY_OVERLAP:
        break;
    }
    return app_fail(app, EXIT_INTERNAL, "Please report this.",
                    "a request broke the library's own rules (status %d)", (int)p->status);
}

static int not_that_flash(struct app *app, const struct wry_problem *p)
{
    g_autofree char *found = units_flash_size((uint32_t)p->found);
    g_autofree char *options = units_flash_size((uint32_t)p->expected);

    return app_fail(app, EXIT_WRONG, right_board, "this board has %s of flash, not %s", found,
                    options);
}

static int many_adapters(struct app *app, const struct wry_problem *p)
{
    g_autoptr(GString) list = g_string_new("Say which one with --link:");
    unsigned count = g_strv_length(p->names) / 2;

    for (char **name = p->names; *name; name += 2)
        g_string_append_printf(list, "\n  %-16s %s", name[0], name[1]);
    return app_fail(app, EXIT_USAGE, list->str, "no link given, and there are %u adapters", count);
}

int explain(struct app *app, const struct wry_problem *p)
{
    enum exit_code code = (enum exit_code)p->outcome;

    if (explain_files(app, p) || explain_places(app, p) || explain_stores(app, p) ||
        explain_cards(app, p))
        return app->code;
    switch (p->kind) {
    case WRY_PROBLEM_SYSTEM:
        return app_fail(app, code, next_of(p->cause), "%s", p->cause->message);
    case WRY_PROBLEM_SESSION:
        return explain_session(app, p);
    case WRY_PROBLEM_STOPPED:
        return app_fail(app, code, NULL, "stopped at your request");
    case WRY_PROBLEM_NO_LINK:
        return app_fail(app, code, links, "no link given, and no USB adapter is there");
    case WRY_PROBLEM_MANY_ADAPTERS:
        return many_adapters(app, p);
    case WRY_PROBLEM_BAD_LINK:
        return app_fail(app, code, links, "'%s' is not a link", p->subject);
    case WRY_PROBLEM_BAD_HOST:
        return app_fail(app, code, "Write it as HOST:PORT, or [ADDRESS]:PORT for IPv6.",
                        "'%s' is no address", p->subject);
    case WRY_PROBLEM_BAD_LINK_SETTING:
        return app_fail(app, code,
                        "Only tcp:// takes one: tcp://HOST:PORT?speed=BAUD, for a far end whose "
                        "speed is fixed.",
                        "'%s' is no setting of this link", p->subject);
    case WRY_PROBLEM_NOT_THAT_CHIP:
        return app_fail(app, code, right_board, "this board has a %s (code 0x%04X), not a %s",
                        p->found_chip ? p->found_chip->title : "chip unknown to this version",
                        p->chip_code, p->chip->title);
    case WRY_PROBLEM_NOT_THAT_FLASH:
        return not_that_flash(app, p);
    case WRY_PROBLEM_NO_JOURNAL:
        return app_fail(app, code, journal_advice, "the journal cannot be used: %s",
                        p->cause->message);
    case WRY_PROBLEM_JOURNAL_STOPPED:
        return app_fail(app, code, "Nothing was changed.", "stopped at your request");
    case WRY_PROBLEM_JOURNAL_FAILED:
        return app_fail(app, code, journal_advice, "the journal %s failed: %s", p->subject,
                        p->other);
    case WRY_PROBLEM_ERASE_STOPPED:
        return app_fail(app, code, "Nothing was erased.", "stopped at your request");
    case WRY_PROBLEM_LINK_GONE:
        return app_fail(app, code, "Check the cable and run the same command again.",
                        "the link %s is gone", p->subject);
    case WRY_PROBLEM_NOT_SEEN:
        return app_fail(app, code,
                        p->names        ? p->names[0]
                        : p->found == 0 ? "The board said nothing. Check speed and line ending."
                                        : "What it said is above.",
                        "\"%s\" was not seen%s%s%s", p->subject, p->other ? " after '" : "",
                        p->other ? p->other : "", p->other ? "' was sent" : "");
    case WRY_PROBLEM_NOTHING_TO_RUN:
        return app_fail(app, code,
                        "Its text above says why. 'wrytograph identify' shows what is on the "
                        "board, 'wrytograph write' puts programs there.",
                        "the board found nothing to run in its flash");
    case WRY_PROBLEM_IN_LOADING_MODE:
        return app_fail(app, code,
                        "'wrytograph start' runs the firmware. If the board comes back here, its "
                        "boot strap is still held.",
                        "the board is in loading mode: its loader answers, no firmware runs");
    case WRY_PROBLEM_STRAP_HELD:
        return app_fail(app, code,
                        "Let go of the boot button, or take the strap's jumper off; then tap "
                        "reset, or run the same command again.",
                        "the board went into loading mode instead of running its firmware: its "
                        "boot strap is still held");
    default:
        break;
    }
    return app_fail(app, EXIT_INTERNAL, "Please report this.", "a problem without a name (%d)",
                    (int)p->kind);
}

char *explain_words(const struct wry_problem *problem)
{
    struct app app = {0};

    explain(&app, problem);
    g_free(app.next_step);
    return app.message;
}
