/*
 * A card on one board: connect, check, back up, erase, write, verify, start, expect.
 *
 * Everything that the write could refuse is found by planning before the first change. If something
 * fails between the first change and the end of the write, the board stays in loading mode:
 * half-written flash must not run. A run that was interrupted resumes: the checks of earlier
 * programs and the backup are skipped if the interrupted run had done them.
 */
#include <string.h>

#include "base/sized.h"
#include "jobs/card/card.h"
#include "jobs/card/card_board.h"
#include "jobs/card/card_history.h"
#include "jobs/card/card_row.h"
#include "jobs/flash/write.h"
#include "jobs/plan/backup_records.h"
#include "jobs/station/figure.h"
#include "jobs/station/run_record.h"
#include "jobs/station/secrets.h"
#include "jobs/station/station_board.h"
#include "store/card/board_table.h"
#include "store/file/error.h"
#include "store/ledger/ledger.h"
#include "store/shelf/backups.h"
#include "wrytograph-host/units.h"
#include "wrytograph/layout.h"

struct run {
    bool in_run; /* of the station's user, who has a figure of his own */
    struct wry_station *station;
    const struct wry_run_options *options;
    const struct card *card;
    struct wry_run_result *result;
    GPtrArray *values; /* settings of the board's row; NULL = none */
    struct card_history earlier;
    /* The write, planned in the check step: nothing is erased for a write that would be refused. */
    struct wry_images_options write_options;
    struct images_job write_job;
    struct wry_write_result written;
    uint64_t begun, step_begun;
    bool skipped; /* the current step was not needed */
};

/* Steps. */

static void record_steps(const struct run *run, bool goes_on)
{
    if (!run->options->dry_run)
        run_record_steps(run->station, run->result->steps, goes_on);
}

static void begin_step(struct run *run, enum wry_run_step step)
{
    struct wry_run_step_done done = {.step = step, .outcome = WRY_OUTCOME_INTERNAL};

    g_array_append_val(run->result->steps, done);
    run->step_begun = station_now(run->station);
    run->skipped = false;
    record_steps(run, true);
    if (!run->in_run)
        figure_part(run->station, step, WRY_RUN_START + 1);
    station_tell(run->station, (struct wry_event){.kind = WRY_EVENT_RUN_STEP, .run_step = step});
}

static struct wry_run_step_done *current(const struct run *run)
{
    return &g_array_index(run->result->steps, struct wry_run_step_done,
                          run->result->steps->len - 1);
}

static double since(const struct run *run, uint64_t begun)
{
    uint64_t now = station_now(run->station);

    /* Without an open link there is no clock: the step began when the board was called. */
    if (begun == 0)
        begun = run->station->started;
    return run->station->called && now > begun ? (double)(now - begun) / 1e6 : 0;
}

static struct wry_problem *end_step(struct run *run, struct wry_problem *problem)
{
    struct wry_run_step_done *done = current(run);

    done->outcome = problem ? problem->outcome : WRY_OUTCOME_DONE;
    done->skipped = run->skipped;
    done->seconds = since(run, run->step_begun);
    record_steps(run, false);
    return problem;
}

/* Connecting, and what was done to this board before. */

/* Looks up earlier runs of this card on this board. */
static struct wry_problem *look_back(struct run *run)
{
    const struct wry_ledger_run *own = run_record_run(run->station);
    g_autofree char *board = wry_units_address(wry_session_board(&run->station->session)->eui48);
    GError *error = NULL;

    bool told = false;
    if (run->station->settings.ledger)
        told = card_history_find(run->station->settings.ledger, run->card, board,
                                 own ? own->id : NULL, &run->earlier, &error);
    else
        g_set_error(&error, WRY_STORE_ERROR, WRY_STORE_ERROR_NONE, "there is no ledger");
    run->result->earlier = run->earlier.passed;
    run->result->earlier_at = g_strdup(run->earlier.last);
    if (!told && run->card->times > 0 && !run->options->again && !run->options->dry_run)
        return PROBLEM(WRY_OUTCOME_INTERNAL, WRY_PROBLEM_CARD_UNCOUNTED, NULL, .cause = error);
    g_clear_error(&error);
    run->result->done_before =
        run->card->times > 0 && run->earlier.passed >= run->card->times && !run->options->again;
    return NULL;
}

/* With --failed: a board that is done needs nothing, and a new one is left alone. */
static struct wry_problem *check_failed(struct run *run)
{
    const struct wry_station_settings *settings = &run->station->settings;
    const struct wry_ledger_run *own = run_record_run(run->station);
    g_autofree char *board = wry_units_address(wry_session_board(&run->station->session)->eui48);
    const char *lot = settings->lot ? settings->lot : run->options->card->lot;
    enum card_lot_state state = CARD_LOT_NEW;
    g_autofree char *when = NULL;
    GError *error = NULL;

    if (!settings->ledger)
        g_set_error(&error, WRY_STORE_ERROR, WRY_STORE_ERROR_NONE, "there is no ledger");
    else
        card_history_in_lot(settings->ledger, lot, board, own ? own->id : NULL, &state, &when,
                            &error);
    if (error)
        return PROBLEM(WRY_OUTCOME_INTERNAL, WRY_PROBLEM_CARD_UNCOUNTED, NULL, .cause = error);
    if (state == CARD_LOT_NEW)
        return problem_new(WRY_OUTCOME_WRONG, WRY_PROBLEM_CARD_NOT_FAILED, lot);
    if (state == CARD_LOT_DONE) {
        run->result->done_before = true;
        g_free(run->result->earlier_at);
        run->result->earlier_at = g_steal_pointer(&when);
    }
    return NULL;
}

/* Finds the row of a board that needs nothing more; failure does not matter then. */
static void look_up_row(struct run *run)
{
    g_autofree char *path = card_table(run->options->card);
    struct board_table_request options = {.rows = CARD_ROWS_BY_ADDRESS,
                                          .names = (const char *const *)run->card->name_columns,
                                          .eui48 =
                                              wry_session_board(&run->station->session)->eui48};
    struct board_table_row row;
    GPtrArray *values = path ? board_table_take(path, &options, &row, NULL) : NULL;

    if (!values)
        return;
    run->result->row = row.line;
    run->result->row_name = row.name;
    g_ptr_array_unref(values);
}

/* Two boards with one address cannot both have the row of that address. */
static struct wry_problem *fail_shared_address(struct run *run)
{
    struct wry_problem *problem =
        problem_new(WRY_OUTCOME_WRONG, WRY_PROBLEM_CARD_ADDRESS, run->card->name);
    memcpy(problem->address, run->result->address, sizeof problem->address);
    return problem;
}

static struct wry_problem *take_row(struct run *run)
{
    const struct wry_station_settings *settings = &run->station->settings;
    const struct wry_card *card = run->options->card;
    const struct card_row_request request = {.card = card,
                                             .ledger = settings->ledger,
                                             .lot = settings->lot ? settings->lot : card->lot,
                                             .eui48 =
                                                 wry_session_board(&run->station->session)->eui48,
                                             .only = run->options->only_rows,
                                             .only_count = run->options->only_count,
                                             .dry_run = run->options->dry_run};
    struct board_table_row row = {0};
    GError *error = NULL;
    bool unknown = false;

    run->values = card_row_take(&request, &row, &unknown, &error);
    run->result->row = row.line;
    run->result->row_name = row.name;
    if (!error)
        return NULL;
    return PROBLEM(WRY_OUTCOME_BAD_INPUT,
                   unknown ? WRY_PROBLEM_CARD_ROW_UNKNOWN : WRY_PROBLEM_CARD_ROW, NULL,
                   .cause = error);
}

static struct wry_problem *connect_board(struct run *run)
{
    struct wry_station *station = run->station;

    begin_step(run, WRY_RUN_CONNECT);
    struct wry_problem *problem = board_connect(station, !run->options->dry_run);
    if (station->session.connected) {
        run->result->known = true;
        memcpy(run->result->address, wry_session_board(&station->session)->eui48,
               sizeof run->result->address);
    }
    return end_step(run, problem);
}

static bool is_erased(const struct run *run, const struct target *target,
                      const struct wry_region *region)
{
    uint32_t offset, length;

    for (char **part = run->card->erase; part && *part; part++) {
        struct wry_problem *problem = regions_parse_part(target, *part, &offset, &length);
        bool known = !problem;
        problem_free(problem);
        if (known && region->offset < (uint64_t)offset + length &&
            offset < (uint64_t)region->offset + region->length)
            return true;
    }
    return false;
}

/* A changed settings block needs the board's block, and an upgrade the board's program: their
 * regions must not be erased before. Images made from the board's block follow the images of the
 * card. */
static struct wry_problem *check_erased(struct run *run, const struct wry_image_set *held,
                                        size_t given)
{
    struct target target;
    struct wry_problem *problem = regions_of_board(run->station, &target);

    if (problem)
        return problem;
    for (size_t i = 0; i < held->count; i++) {
        const struct wry_planned_image *image = held->facts[i];
        const struct wry_region *region = wry_layout_at(&target.layout.table, image->start);
        bool needs_old = i >= given || (image->has_header && image->header.only_upgrade);
        if (!needs_old || !region || !is_erased(run, &target, region))
            continue;
        return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_CARD_ERASES, image->name, .region = *region);
    }
    return NULL;
}

/* Plans the write before anything is erased. */
static struct wry_problem *plan_write(struct run *run)
{
    struct wry_images_options *options = &run->write_options;
    struct wry_problem *problem = NULL;

    card_wanted(run->options->card, wry_session_board(&run->station->session)->capacity,
                run->values, options);
    options->dry_run = run->options->dry_run;
    run->write_job = (struct images_job){.station = run->station,
                                         .options = options,
                                         .use = IMAGE_WRITE,
                                         .recovers = !options->dry_run,
                                         .held = &run->written.held,
                                         .planned = &run->written.planned};
    if (options->image_count + options->setting_count > 0)
        problem = plan_build_for_board(&run->write_job);
    if (!problem && run->written.held && run->card->erase)
        problem = check_erased(run, run->written.held, options->image_count);
    return problem;
}

static struct wry_problem *check(struct run *run)
{
    begin_step(run, WRY_RUN_CHECK);
    struct wry_problem *problem = card_board_check(run->station, run->card);
    if (!problem)
        problem = look_back(run);
    if (!problem && run->options->only_failed && !run->result->done_before)
        problem = check_failed(run);
    if (!problem && run->result->done_before) {
        look_up_row(run);
        return end_step(run, problem);
    }
    /* If this card was interrupted on this board, it may have the new program already, or none. */
    if (!problem && !run->earlier.cut)
        problem = card_board_check_holds(run->station, run->card);
    if (!problem && run->options->may_have_row &&
        !run->options->may_have_row(run->options->context, run->result->address))
        problem = fail_shared_address(run);
    if (!problem)
        problem = take_row(run);
    if (!problem)
        problem = plan_write(run);
    return end_step(run, problem);
}

/* Backup. */

static void keep_backup(struct run *run, const char *file)
{
    run->result->backup = g_strdup(file);
    run->skipped = true;
    run_record_backup(run->station, file);
}

static struct wry_problem *make_backup(struct run *run)
{
    struct wry_backup_options options = {.folder = run->card->backup_folder};
    struct wry_backup_result result = {0};
    wry_station_backup(run->station, &options, &result);
    struct wry_problem *problem = station_take_problem(run->station);

    if (result.saved)
        run->result->backup = g_strdup(result.file);
    current(run)->bytes = result.done.bytes;
    wry_backup_result_clear(&result);
    return problem;
}

/* Finds an existing complete backup. If that fails, another backup does no harm. */
static bool find_whole(struct run *run, char **path)
{
    struct backups_found found;
    bool whole = backup_records_find(run->station, &found, NULL) && found.whole &&
                 g_file_test(found.path, G_FILE_TEST_EXISTS);

    *path = whole ? g_strdup(found.path) : NULL;
    g_free(found.path);
    g_free(found.created);
    return whole;
}

static struct wry_problem *back_up(struct run *run)
{
    g_autofree char *whole = NULL;
    struct wry_problem *problem = NULL;

    if (run->card->backup == CARD_BACKUP_NEVER)
        return problem;
    begin_step(run, WRY_RUN_BACKUP);
    /* What an interrupted run has left is not the original content: use the backup made then. */
    if (run->earlier.cut && run->earlier.backup &&
        g_file_test(run->earlier.backup, G_FILE_TEST_EXISTS))
        keep_backup(run, run->earlier.backup);
    else if (run->card->backup == CARD_BACKUP_FIRST && find_whole(run, &whole))
        keep_backup(run, whole);
    else
        problem = make_backup(run);
    return end_step(run, problem);
}

/* Erase and write. */

static struct wry_problem *erase(struct run *run)
{
    struct wry_erase_options options = {.parts = (const char *const *)run->card->erase,
                                        .dry_run = run->options->dry_run,
                                        .without_backup = run->card->backup == CARD_BACKUP_NEVER ||
                                                          run->options->dry_run};
    struct wry_erase_result result = {0};

    if (!run->card->erase)
        return NULL;
    begin_step(run, WRY_RUN_ERASE);
    wry_station_erase(run->station, &options, &result);
    struct wry_problem *problem = station_take_problem(run->station);
    current(run)->bytes = result.done.bytes;
    return end_step(run, problem);
}

/* Splits the result of the write into two steps: the writing, and the check by the board's
 * digest. */
static void split_write(struct run *run, struct wry_problem *problem)
{
    bool verified =
        problem && problem->kind == WRY_PROBLEM_SESSION && problem->fault.step == WRY_STEP_DIGEST;

    if (!verified) {
        end_step(run, problem);
        return;
    }
    end_step(run, NULL);
    begin_step(run, WRY_RUN_VERIFY);
    end_step(run, problem);
}

static struct wry_problem *write_all(struct run *run)
{
    struct write_common work;

    if (!run->written.held)
        return NULL;
    begin_step(run, WRY_RUN_WRITE);
    write_common_begin(&work, run->station);
    struct wry_problem *problem = write_planned(&run->write_job, &work, &run->written);
    current(run)->bytes = run->written.done.bytes;
    split_write(run, problem);
    return problem;
}

/* Erases and writes. Until all of it is written, the board stays in loading mode. */
static struct wry_problem *change(struct run *run)
{
    bool runs = run->station->settings.leaves_running;

    if (!run->options->dry_run)
        run->station->settings.leaves_running = false;
    struct wry_problem *problem = erase(run);
    if (!problem)
        problem = write_all(run);
    if (!problem)
        run->station->settings.leaves_running = runs;
    return problem;
}

/* Start. */

static struct wry_problem *hear(struct run *run)
{
    const struct card *card = run->card;
    g_autofree struct wry_console_step *steps = g_new0(struct wry_console_step, card->steps->len);
    g_autofree struct wry_console_transfer *transfers =
        g_new0(struct wry_console_transfer, card->steps->len);
    struct wry_console_options options = {.transfers = transfers,
                                          .speed = card->run_speed,
                                          .line_end = card->line_end,
                                          .steps = steps,
                                          .step_count = card->steps->len,
                                          .time = card->within};
    struct wry_console_result result = {0};

    for (guint i = 0; i < card->steps->len; i++) {
        const struct wry_console_step *step = g_ptr_array_index(card->steps, i);
        steps[i] = (struct wry_console_step){.send = step->send,
                                             .expect = step->expect,
                                             .within = step->within,
                                             .go_on = step->go_on,
                                             .advice = step->advice};
        const struct wry_console_transfer *transfer = wry_console_step_transfer(step);
        if (transfer) {
            transfers[options.transfer_count] = *transfer;
            transfers[options.transfer_count++].step = i;
        }
    }
    wry_station_start(run->station, &options, &result);
    struct wry_problem *problem = station_take_problem(run->station);
    run_record_heard(run->station, result.text);
    wry_console_result_clear(&result);
    return problem;
}

static struct wry_problem *start(struct run *run)
{
    enum wry_status status;

    if (run->options->dry_run)
        return NULL;
    begin_step(run, WRY_RUN_START);
    if (run->card->is_heard)
        return end_step(run, hear(run));
    status = wry_session_start(&run->station->session);
    run->station->connected = run->station->connected && status != WRY_OK;
    return end_step(run, status == WRY_OK ? NULL : problem_of_session(run->station, status));
}

/* The whole run. */

static struct wry_problem *mark_row(struct run *run)
{
    g_autofree char *path = card_table(run->options->card);
    g_autofree char *now = ledger_now();
    GError *error = NULL;

    if (!path || run->card->rows != CARD_ROWS_NEXT || run->options->dry_run ||
        board_table_done(path, run->result->address, now, &error))
        return NULL;
    return PROBLEM(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_CARD_ROW, NULL, .cause = error);
}

static struct wry_problem *run_steps(struct run *run)
{
    struct wry_problem *problem = connect_board(run);

    if (!problem)
        problem = check(run);
    if (!problem && run->result->done_before) {
        run_record_done_before(run->station, run->result->earlier_at);
        return problem;
    }
    if (!problem && !run->options->dry_run)
        problem = back_up(run);
    if (!problem)
        problem = change(run);
    if (!problem)
        problem = start(run);
    return problem ? problem : mark_row(run);
}

/* Its name may be a value that turned out to be secret. */
static void name_board(struct run *run)
{
    struct wry_ledger_run *record = run_record_run(run->station);
    char *name = run->result->row_name;

    if (name)
        run->result->row_name = secrets_apply(run->station->secrets, name);
    g_free(name);
    if (!record || run->result->row == 0)
        return;
    record->lot_row = run->result->row;
    record->name = g_strdup(run->result->row_name);
}

/* The application that was written and verified, by its header. */
static void note_firmware(struct run *run)
{
    const struct wry_planned *planned = &run->written.planned;

    for (size_t i = 0; run->written.written && i < planned->image_count; i++) {
        const struct wry_planned_image *image = planned->images[i];
        if (image->has_header && image->header.kind == WRY_PROGRAM_APP && !run->result->firmware)
            run->result->firmware = g_strdup(image->header.version);
    }
}

static void describe(struct run *run)
{
    struct wry_ledger_run *row = run_record_run(run->station);
    const struct wry_card *card = run->options->card;
    struct wry_card_facts facts;

    if (!row)
        return;
    wry_card_get_facts(card, &facts);
    row->card = g_strdup(facts.name);
    row->card_version = g_strdup(facts.version);
    row->card_sha256 = g_strdup(facts.sha256);
    row->kit_sha256 = g_strdup(facts.kit_sha256);
    row->signer = g_strdup(facts.signer);
}

enum wry_outcome wry_station_run_of(struct wry_station *station,
                                    const struct wry_run_options *given, size_t size,
                                    struct wry_run_result *result)
{
    const struct wry_run_options *options = SIZED(struct wry_run_options, given, size);
    struct run run = {
        .station = station, .options = options, .card = options->card->card, .result = result};

    station_begin_call(station);
    run.in_run = station->figure.goes_on;
    station->figure.goes_on = true;
    result->steps = g_array_new(FALSE, FALSE, sizeof(struct wry_run_step_done));
    if (!options->dry_run) {
        run_record_begin(station, "card");
        describe(&run);
        run_record_touch(station);
    }
    run.begun = station_now(station);
    struct wry_spent before = {0}, after = {0};
    wry_station_spent(station, &before);
    struct wry_problem *problem = run_steps(&run);
    result->seconds = since(&run, run.begun);
    wry_station_spent(station, &after);
    result->bytes_sent = after.bytes_sent - before.bytes_sent;
    result->bytes_received = after.bytes_received - before.bytes_received;
    name_board(&run);
    note_firmware(&run);
    card_history_clear(&run.earlier);
    if (run.values)
        g_ptr_array_unref(run.values);
    wry_write_result_clear(&run.written);
    card_wanted_clear(&run.write_options);
    if (!options->dry_run)
        run_record_end(station, problem);
    station->figure.goes_on = run.in_run;
    return station_end_call(station, problem);
}

void wry_run_result_clear(struct wry_run_result *result)
{
    if (result->steps)
        g_array_unref(result->steps);
    g_free(result->backup);
    g_free(result->earlier_at);
    g_free(result->row_name);
    g_free(result->firmware);
    *result = (struct wry_run_result){0};
}
