/* The session's faults as sentences: what was wrong, where, what to do next. */
#include <string.h>

#include "app.h"
#include "findings.h"
#include "store/units.h"

static int fail_at(struct app *app, enum exit_code code, const char *next, const char *what)
{
    return app_fail(app, code, next, "%s at offset 0x%06X", what,
                    (unsigned)wry_session_fault(&app->session)->offset);
}

static const char again[] = "What was not finished is safe to repeat: run the same command again.";

/* Why it may have gone silent, from what was heard since it answered first. */
static int fail_lost(struct app *app)
{
    enum finding finding = finding_of_loss(app);
    g_autofree char *next = NULL;

    if (finding == FINDING_GOOD)
        return app_fail(app, EXIT_LINK_LOST, again, "the board on %s stopped answering", app->link);
    next =
        g_strdup_printf("%s\nFirst: %s Then run the same command again: what was not finished is "
                        "safe to repeat.",
                        finding_cause(finding), finding_checks(finding)[0]);
    return app_fail(app, EXIT_LINK_LOST, next, "the board on %s stopped answering", app->link);
}

const char app_journal_advice[] =
    "It keeps what an erase puts at risk, so nothing is erased without it. Mend that, or set "
    "WRYTOGRAPH_STATE to another folder, then run the same command again.";

/* In the middle of a job, before the next erase. */
static int fail_journal(struct app *app)
{
    if (app_interrupted())
        return app_fail(app, EXIT_STOPPED, "Nothing was erased.", "stopped at your request");
    return app_fail(app, EXIT_BAD_INPUT, app_journal_advice, "the journal %s failed: %s",
                    app->journal ? journal_path(app->journal) : "",
                    app->journal ? journal_problem(app->journal) : "it is not open");
}

int app_fail_session(struct app *app, enum wry_status status)
{
    const struct wry_fault *fault = wry_session_fault(&app->session);

    switch (status) {
    case WRY_NO_ANSWER: {
        enum finding finding = finding_judge(wry_session_stats(&app->session));
        g_autofree char *evidence = finding_evidence(app);
        g_autofree char *next =
            g_strdup_printf("Heard: %s. %s\nFirst: %s 'wrytograph examine' looks closer.", evidence,
                            finding_cause(finding), finding_checks(finding)[0]);
        return app_fail(app, EXIT_NO_ANSWER, next, "no answer from the board on %s", app->link);
    }
    case WRY_LINK_LOST:
        if (fault->expected > 0)
            return app_fail(
                app, EXIT_LINK_LOST,
                "Mend the cable first: shorter, away from the supply, its ground joined. "
                "What was not finished is safe to repeat.",
                "the line to %s loses nearly everything: %u of the last %u of the "
                "shortest frames at %u baud",
                app->link, (unsigned)fault->found, (unsigned)fault->expected,
                (unsigned)app->session.speed);
        return fail_lost(app);
    case WRY_WRONG_BOARD:
        return app_fail(app, EXIT_WRONG, "Connect the first board again and repeat the command.",
                        "another board answered in the middle of the work");
    case WRY_DIFFERS:
        return app_fail(app, EXIT_DIFFERS, again,
                        "the flash does not hold what was sent, between 0x%06X and 0x%06X",
                        (unsigned)fault->offset, (unsigned)(fault->offset + fault->length - 1));
    case WRY_STALLED:
        return fail_at(app, EXIT_FLASH,
                       "Its flash may be stuck. Take the board's power away and put it back, then "
                       "run the same command again.",
                       "the board answers, but its work no longer advances");
    case WRY_CONTRADICTED:
        return app_fail(
            app, EXIT_DIFFERS,
            "Do not rely on this board: its flash or its supply gives different content "
            "at different times.",
            "the board's answers contradict each other between 0x%06X and 0x%06X: its "
            "digest and what it sends do not agree",
            (unsigned)fault->offset, (unsigned)(fault->offset + fault->length - 1));
    case WRY_FLASH_FAILED:
        return fail_at(app, EXIT_FLASH, "The flash may be worn out.",
                       "a page does not hold what was written to it: the flash failed");
    case WRY_FLASH_SILENT:
        return app_fail(app, EXIT_FLASH,
                        "Its flash may be missing, not soldered well, or held by its power-down "
                        "mode: take the board's power away and put it back.",
                        "the board answers, but its flash does not: the JEDEC ID reads %02X %02X "
                        "%02X",
                        app->session.board.jedec[0], app->session.board.jedec[1],
                        app->session.board.jedec[2]);
    case WRY_FLASH_SMALLER: {
        g_autofree char *claimed = units_flash_size((uint32_t)fault->expected);
        return app_fail(app, EXIT_WRONG,
                        "'wrytograph identify --deep' finds the "
                        "real size; if you know that both halves hold the same, say "
                        "--expect-flash.",
                        "the flash claims %s, but from 0x%06X on it repeats itself: content would "
                        "overwrite itself",
                        claimed, (unsigned)fault->offset);
    }
    case WRY_PROTECTED:
        return app_fail(app, EXIT_FLASH,
                        "Nothing was changed. Unlock the flash, or leave that part alone.",
                        "the flash is write-protected from 0x%06X to 0x%06X",
                        (unsigned)fault->offset, (unsigned)(fault->offset + fault->length - 1));
    case WRY_BAD_RANGE:
        return fail_at(app, EXIT_WRONG, "Check the offsets against the board's flash size.",
                       "the board refused the range");
    case WRY_SOURCE_FAILED:
        return fail_at(app, EXIT_BAD_INPUT, again, "a file could not be read for the content");
    case WRY_SINK_FAILED:
        return fail_at(app, EXIT_BAD_INPUT, again, "what was read could not be kept");
    case WRY_KEEPER_FAILED:
        return fail_journal(app);
    case WRY_STOPPED:
        if (fault->step == WRY_STEP_WRITE && fault->offset > 0)
            return app_fail(app, EXIT_STOPPED, again,
                            "stopped at your request, with the work done up to 0x%06X",
                            (unsigned)fault->offset);
        return app_fail(app, EXIT_STOPPED, again, "stopped at your request");
    case WRY_UNSUPPORTED:
        return app_fail(app, EXIT_WRONG, "Use a version of wrytograph that fits the board.",
                        "the board does not speak this version of the protocol");
    case WRY_OK:
    case WRY_BAD_ARGUMENT:
    case WRY_OVERLAP:
    case WRY_REFUSED:
        break;
    }
    return app_fail(app, EXIT_INTERNAL, "Please report this.",
                    "the board refused a request (status %d, code %u)", (int)status,
                    (unsigned)fault->found);
}
