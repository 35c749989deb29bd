/* A card on one board, from connecting to the outcome. */
#include <string.h>

#include "jobs/card/card.h"
#include "jobs/card/card_history.h"
#include "jobs/plan/backup_records.h"
#include "jobs/plan/plan_build.h"
#include "jobs/station/run_record.h"
#include "jobs/station/station_board.h"
#include "store/card/board_table.h"
#include "store/file/error.h"
#include "store/image/steps_file.h"
#include "store/ledger/ledger.h"
#include "store/shelf/backups.h"
#include "wrytograph-host/units.h"
#include "wrytograph/layout.h"

struct run {
    struct wry_station *station;
    const struct wry_run_options *options;
    const struct card *card;
    struct wry_run_result *result;
    GPtrArray *values; /* of the board's row; NULL without */
    struct card_history earlier;
    uint64_t begun, step_begun;
    bool skipped; /* the step that is being done was not needed */
};

static const char *const step_names[] = {
    [WRY_RUN_CONNECT] = "connect", [WRY_RUN_CHECK] = "check", [WRY_RUN_BACKUP] = "backup",
    [WRY_RUN_ERASE] = "erase",     [WRY_RUN_WRITE] = "write", [WRY_RUN_VERIFY] = "verify",
    [WRY_RUN_START] = "start"};

const char *wry_run_step_name(enum wry_run_step step)
{
    return (size_t)step < G_N_ELEMENTS(step_names) ? step_names[step] : "unknown";
}

/* Steps. */

static void begin_step(struct run *run, enum wry_run_step step)
{
    struct wry_run_step_done done = {.step = step, .outcome = WRY_OUTCOME_INTERNAL};

    g_array_append_val(run->result->steps, done);
    run->step_begun = station_now(run->station);
    run->skipped = false;
    if (!run->options->dry_run)
        run_record_step(run->station, step_names[step]);
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

    /* Before the link is open, there is no time: it begins when the board is called. */
    if (begun == 0)
        begun = run->station->started;
    return run->station->called && now > begun ? (double)(now - begun) / 1e6 : 0;
}

static enum wry_outcome end_step(struct run *run, enum wry_outcome outcome)
{
    struct wry_run_step_done *done = current(run);

    done->outcome = outcome;
    done->skipped = run->skipped;
    done->seconds = since(run, run->step_begun);
    if (!run->options->dry_run)
        run_record_step_end(run->station, outcome, run->skipped);
    return outcome;
}

/* Connecting, and whether the card is for this board. */

static enum wry_outcome fail_flash(struct run *run, uint32_t found)
{
    struct wry_problem *problem = &run->station->problem;
    const GArray *sizes = run->card->flash_sizes;

    station_fail(run->station, WRY_OUTCOME_WRONG, WRY_PROBLEM_CARD_FLASH, run->card->name);
    problem->found = found;
    problem->names = g_new0(char *, sizes->len + 1);
    for (guint i = 0; i < sizes->len; i++)
        problem->names[i] = wry_units_flash_size(g_array_index(sizes, uint32_t, i));
    return problem->outcome;
}

static enum wry_outcome check_board(struct run *run)
{
    const struct wry_hello_reply *board = wry_session_board(&run->station->session);

    if (!card_is_for_flash(run->card, board->capacity))
        return fail_flash(run, board->capacity);
    if (board->chip_revision >= run->card->revision)
        return WRY_OUTCOME_DONE;
    station_fail(run->station, WRY_OUTCOME_WRONG, WRY_PROBLEM_CARD_REVISION, run->card->name);
    run->station->problem.expected = run->card->revision;
    run->station->problem.found = board->chip_revision;
    return run->station->problem.outcome;
}

static const struct wry_content_of *content_of(const struct wry_identity *identity,
                                               const char *region)
{
    for (guint i = 0; identity->contents && i < identity->contents->len; i++) {
        const struct wry_content_of *content = g_ptr_array_index(identity->contents, i);
        if (strcmp(content->region.name, region) == 0)
            return content;
    }
    return NULL;
}

static enum wry_outcome check_hold(struct run *run, const struct wry_identity *identity,
                                   const struct card_value *hold)
{
    const struct wry_content_of *content = content_of(identity, hold->region);
    const char *version =
        content && content->holds == WRY_HOLDS_PROGRAM ? content->header.version : NULL;
    struct wry_problem *problem = &run->station->problem;

    if (version && g_str_has_prefix(version, hold->value))
        return WRY_OUTCOME_DONE;
    station_fail(run->station, WRY_OUTCOME_WRONG, WRY_PROBLEM_CARD_HOLDS, hold->value);
    g_strlcpy(problem->region.name, hold->region, sizeof problem->region.name);
    problem->other = g_strdup(version);
    return problem->outcome;
}

static enum wry_outcome check_holds(struct run *run)
{
    struct wry_identity identity = {0};
    enum wry_outcome outcome = WRY_OUTCOME_DONE;

    /* A board on which this card was cut may hold the new program already, or none. */
    if (run->card->holds->len == 0 || run->earlier.cut)
        return outcome;
    outcome = wry_station_identify(run->station, false, &identity);
    for (guint i = 0; i < run->card->holds->len && outcome == WRY_OUTCOME_DONE; i++)
        outcome = check_hold(run, &identity, g_ptr_array_index(run->card->holds, i));
    wry_identity_clear(&identity);
    return outcome;
}

/* What is on record of this board and card. */
static enum wry_outcome look_back(struct run *run)
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
    if (!told && run->card->times > 0 && !run->options->again && !run->options->dry_run) {
        station_fail(run->station, WRY_OUTCOME_INTERNAL, WRY_PROBLEM_CARD_UNCOUNTED, NULL);
        run->station->problem.cause = error;
        return run->station->problem.outcome;
    }
    g_clear_error(&error);
    run->result->done_before =
        run->card->times > 0 && run->earlier.passed >= run->card->times && !run->options->again;
    return WRY_OUTCOME_DONE;
}

/* Which row a board has that needs nothing more; a table that cannot be read is no matter then. */
static void look_up_row(struct run *run)
{
    g_autofree char *path = card_table(run->options->card);
    struct board_table_request options = {
        .rows = CARD_ROWS_BY_ADDRESS, .eui48 = wry_session_board(&run->station->session)->eui48};
    struct board_table_row row;
    GPtrArray *values = path ? board_table_take(path, &options, &row, NULL) : NULL;

    if (!values)
        return;
    run->result->row = row.line;
    run->result->row_name = row.name;
    g_ptr_array_unref(values);
}

/* Two boards of one address cannot both have the row of that address. */
static enum wry_outcome fail_shared_address(struct run *run)
{
    station_fail(run->station, WRY_OUTCOME_WRONG, WRY_PROBLEM_CARD_ADDRESS, run->card->name);
    memcpy(run->station->problem.address, run->result->address,
           sizeof run->station->problem.address);
    return run->station->problem.outcome;
}

static enum wry_outcome take_row(struct run *run)
{
    g_autofree char *path = card_table(run->options->card);
    struct board_table_request options = {.rows = run->card->rows,
                                          .share = run->card->share,
                                          .eui48 = wry_session_board(&run->station->session)->eui48,
                                          .claim = !run->options->dry_run};
    struct board_table_row row = {0};
    GError *error = NULL;

    if (!path)
        return WRY_OUTCOME_DONE;
    if (run->options->dry_run && !g_file_test(path, G_FILE_TEST_EXISTS)) {
        g_free(path);
        path = g_strdup(run->card->table);
    }
    /* A kit cannot be marked: its table gets a copy beside it, once, whoever comes first. */
    if (strcmp(path, run->card->table) == 0 || board_table_copy(run->card->table, path, &error))
        run->values = board_table_take(path, &options, &row, &error);
    run->result->row = row.line;
    run->result->row_name = row.name;
    if (run->values)
        return WRY_OUTCOME_DONE;
    station_fail(run->station, WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_CARD_ROW, NULL);
    run->station->problem.cause = error;
    return run->station->problem.outcome;
}

static enum wry_outcome connect_board(struct run *run)
{
    struct wry_station *station = run->station;

    begin_step(run, WRY_RUN_CONNECT);
    enum wry_outcome outcome = board_connect(station, !run->options->dry_run);
    if (station->session.connected) {
        run->result->known = true;
        memcpy(run->result->address, wry_session_board(&station->session)->eui48,
               sizeof run->result->address);
    }
    return end_step(run, outcome);
}

static bool is_erased(const struct run *run, const struct target *target,
                      const struct wry_region *region)
{
    uint32_t offset, length;

    for (char **part = run->card->erase; part && *part; part++) {
        if (regions_parse_part(run->station, target, *part, &offset, &length) == WRY_OUTCOME_DONE &&
            region->offset < (uint64_t)offset + length &&
            offset < (uint64_t)region->offset + region->length)
            return true;
    }
    return false;
}

/* A changed settings block wants the one that the board has, an upgrade the program: nothing of
 * their regions may be erased before. What is made of the board's block comes behind the wanted
 * images. */
static enum wry_outcome check_erased(struct run *run, const struct wry_image_set *held,
                                     size_t options)
{
    struct target target;
    enum wry_outcome outcome = regions_of_board(run->station, &target);

    for (size_t i = 0; i < held->count && outcome == WRY_OUTCOME_DONE; i++) {
        const struct wry_planned_image *image = held->facts[i];
        const struct wry_region *region = wry_layout_at(&target.layout.table, image->start);
        bool needs_old = i >= options || (image->has_header && image->header.only_upgrade);
        if (!needs_old || !region || !is_erased(run, &target, region))
            continue;
        outcome =
            station_fail(run->station, WRY_OUTCOME_WRONG, WRY_PROBLEM_CARD_ERASES, image->name);
        run->station->problem.region = *region;
    }
    return outcome;
}

/* All that the write would refuse is found before anything is erased. */
static enum wry_outcome check_plan(struct run *run)
{
    struct wry_images_options options;
    struct wry_image_set *held = NULL;
    struct wry_planned planned = {0};
    enum wry_outcome outcome = WRY_OUTCOME_DONE;

    card_wanted(run->options->card, wry_session_board(&run->station->session)->capacity,
                run->values, &options);
    struct images_job job = {.station = run->station,
                             .options = &options,
                             .use = IMAGE_WRITE,
                             .held = &held,
                             .planned = &planned};
    if (options.image_count + options.setting_count > 0)
        outcome = plan_build_for_board(&job);
    if (outcome == WRY_OUTCOME_DONE && held && run->card->erase)
        outcome = check_erased(run, held, options.image_count);
    images_free(held);
    card_wanted_clear(&options);
    return outcome;
}

static enum wry_outcome check(struct run *run)
{
    begin_step(run, WRY_RUN_CHECK);
    enum wry_outcome outcome = check_board(run);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = look_back(run);
    if (outcome == WRY_OUTCOME_DONE && run->result->done_before) {
        look_up_row(run);
        return end_step(run, outcome);
    }
    if (outcome == WRY_OUTCOME_DONE)
        outcome = check_holds(run);
    if (outcome == WRY_OUTCOME_DONE && run->options->may_have_row &&
        !run->options->may_have_row(run->options->context, run->result->address))
        outcome = fail_shared_address(run);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = take_row(run);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = check_plan(run);
    return end_step(run, outcome);
}

/* Backup. */

static void keep_backup(struct run *run, const char *file)
{
    run->result->backup = g_strdup(file);
    run->skipped = true;
    run_record_backup(run->station, file);
}

static enum wry_outcome make_backup(struct run *run)
{
    struct wry_backup_options options = {.folder = run->card->backup_folder};
    struct wry_backup_result result = {0};
    enum wry_outcome outcome = wry_station_backup(run->station, &options, &result);

    if (result.saved)
        run->result->backup = g_strdup(result.file);
    current(run)->bytes = result.done.bytes;
    wry_backup_result_clear(&result);
    return outcome;
}

/* One that is whole, and there. Where that cannot be told, another one does no harm. */
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

static enum wry_outcome back_up(struct run *run)
{
    g_autofree char *whole = NULL;
    enum wry_outcome outcome = WRY_OUTCOME_DONE;

    if (run->card->backup == CARD_BACKUP_NEVER)
        return outcome;
    begin_step(run, WRY_RUN_BACKUP);
    /* What a run that was cut has left on the board is not what was on it. */
    if (run->earlier.cut && run->earlier.backup &&
        g_file_test(run->earlier.backup, G_FILE_TEST_EXISTS))
        keep_backup(run, run->earlier.backup);
    else if (run->card->backup == CARD_BACKUP_FIRST && find_whole(run, &whole))
        keep_backup(run, whole);
    else
        outcome = make_backup(run);
    return end_step(run, outcome);
}

/* Erase and write. */

static enum wry_outcome erase(struct run *run)
{
    struct wry_erase_options options = {.parts = (const char *const *)run->card->erase,
                                        .dry_run = run->options->dry_run,
                                        .without_backup = run->card->backup == CARD_BACKUP_NEVER ||
                                                          run->options->dry_run};
    struct wry_erase_result result = {0};

    if (!run->card->erase)
        return WRY_OUTCOME_DONE;
    begin_step(run, WRY_RUN_ERASE);
    enum wry_outcome outcome = wry_station_erase(run->station, &options, &result);
    current(run)->bytes = result.done.bytes;
    return end_step(run, outcome);
}

/* Where a write failed: in writing, or when the board's digest was held against it. */
static void split_write(struct run *run, enum wry_outcome outcome)
{
    const struct wry_problem *problem = &run->station->problem;
    bool verified = outcome != WRY_OUTCOME_DONE && problem->kind == WRY_PROBLEM_SESSION &&
                    problem->fault.step == WRY_STEP_DIGEST;

    if (!verified) {
        end_step(run, outcome);
        return;
    }
    end_step(run, WRY_OUTCOME_DONE);
    begin_step(run, WRY_RUN_VERIFY);
    end_step(run, outcome);
}

static enum wry_outcome write_all(struct run *run)
{
    uint32_t flash_size = wry_session_board(&run->station->session)->capacity;
    struct wry_images_options options;
    struct wry_write_result result = {0};

    card_wanted(run->options->card, flash_size, run->values, &options);
    options.dry_run = run->options->dry_run;
    enum wry_outcome outcome = WRY_OUTCOME_DONE;
    if (options.image_count + options.setting_count > 0) {
        begin_step(run, WRY_RUN_WRITE);
        outcome = wry_station_write(run->station, &options, &result);
        current(run)->bytes = result.done.bytes;
        split_write(run, outcome);
    }
    wry_write_result_clear(&result);
    card_wanted_clear(&options);
    return outcome;
}

/* What a half-written flash would run is nobody's wish: until all is written, the board stays in
 * loading mode. */
static enum wry_outcome change(struct run *run)
{
    bool runs = run->station->settings.leaves_running;

    if (!run->options->dry_run)
        run->station->settings.leaves_running = false;
    enum wry_outcome outcome = erase(run);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = write_all(run);
    if (outcome == WRY_OUTCOME_DONE)
        run->station->settings.leaves_running = runs;
    return outcome;
}

/* Start. */

static enum wry_outcome hear(struct run *run)
{
    const struct card *card = run->card;
    g_autofree struct wry_console_step *steps = g_new0(struct wry_console_step, card->steps->len);
    struct wry_console_options options = {.speed = card->run_speed,
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
    }
    enum wry_outcome outcome = wry_station_start(run->station, &options, &result);
    run_record_heard(run->station, result.text);
    wry_console_result_clear(&result);
    return outcome;
}

static enum wry_outcome start(struct run *run)
{
    enum wry_status status;

    if (run->options->dry_run)
        return WRY_OUTCOME_DONE;
    begin_step(run, WRY_RUN_START);
    if (run->card->is_heard)
        return end_step(run, hear(run));
    status = wry_session_start(&run->station->session);
    run->station->connected = run->station->connected && status != WRY_OK;
    return end_step(run, status == WRY_OK ? WRY_OUTCOME_DONE
                                          : station_fail_session(run->station, status));
}

/* The whole. */

static enum wry_outcome mark_row(struct run *run)
{
    g_autofree char *path = card_table(run->options->card);
    g_autofree char *now = ledger_now();
    GError *error = NULL;

    if (!path || run->card->rows != CARD_ROWS_NEXT || run->options->dry_run ||
        board_table_done(path, run->result->address, now, &error))
        return WRY_OUTCOME_DONE;
    station_fail(run->station, WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_CARD_ROW, NULL);
    run->station->problem.cause = error;
    return run->station->problem.outcome;
}

static enum wry_outcome run_steps(struct run *run)
{
    enum wry_outcome outcome = connect_board(run);

    if (outcome == WRY_OUTCOME_DONE)
        outcome = check(run);
    if (outcome == WRY_OUTCOME_DONE && run->result->done_before) {
        run_record_done_before(run->station, run->result->earlier_at);
        return outcome;
    }
    if (outcome == WRY_OUTCOME_DONE && !run->options->dry_run)
        outcome = back_up(run);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = change(run);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = start(run);
    return outcome == WRY_OUTCOME_DONE ? mark_row(run) : outcome;
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

enum wry_outcome wry_station_run(struct wry_station *station, const struct wry_run_options *options,
                                 struct wry_run_result *result)
{
    struct run run = {
        .station = station, .options = options, .card = options->card->card, .result = result};

    station_begin(station);
    result->steps = g_array_new(FALSE, FALSE, sizeof(struct wry_run_step_done));
    if (!options->dry_run) {
        run_record_begin(station, "card");
        describe(&run);
        run_record_touch(station);
    }
    run.begun = station_now(station);
    enum wry_outcome outcome = run_steps(&run);
    result->seconds = since(&run, run.begun);
    card_history_clear(&run.earlier);
    if (run.values)
        g_ptr_array_unref(run.values);
    return options->dry_run ? outcome : run_record_end(station, outcome);
}

void wry_run_result_clear(struct wry_run_result *result)
{
    if (result->steps)
        g_array_unref(result->steps);
    g_free(result->backup);
    g_free(result->earlier_at);
    g_free(result->row_name);
    *result = (struct wry_run_result){0};
}
