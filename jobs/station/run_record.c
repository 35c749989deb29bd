/* The ledger's row of a job. */
#include "jobs/station/run_record.h"

#include <json-glib/json-glib.h>
#include <string.h>

#include "jobs/station/secrets.h"
#include "store/ledger/ledger.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/units.h"
#include "wrytograph-host/words.h"

enum {
    HEARD_LINES = 12,
    HEARD_MOST = 2000, /* most bytes of output recorded */
};

struct run_record {
    unsigned depth; /* depth of nested jobs */
    struct wry_ledger_run *run;
    bool done_before;         /* the board needed nothing */
    enum wry_outcome outcome; /* of the first job that failed */
    bool touched, failed;     /* failed: it cannot be written, which was noted */
    bool changed;             /* something on the board may have been changed */
    uint64_t begun;           /* us on the link's clock */
};

static void tell_failure(struct wry_station *station, const GError *error)
{
    if (!station->run_record->failed)
        station_note(station, WRY_NOTE_LEDGER_FAILED, error->message);
    station->run_record->failed = true;
}

static void note_so(struct wry_station *station, bool sure)
{
    struct run_record *r = station->run_record;
    g_autoptr(GError) error = NULL;

    if (r->touched && !r->failed && !ledger_note(station->settings.ledger, r->run, sure, &error))
        tell_failure(station, error);
}

/* That a run has begun, and on which board, must survive a power failure. Its steps need not:
 * flushing each would delay all boards. */
static void note_surely(struct wry_station *station)
{
    note_so(station, true);
}

static void note(struct wry_station *station)
{
    note_so(station, false);
}

void run_record_begin(struct wry_station *station, const char *kind)
{
    if (station->run_record) {
        station->run_record->depth++;
        return;
    }
    if (!station->settings.ledger)
        return;
    struct run_record *r = station->run_record = g_new0(struct run_record, 1);
    r->depth = 1;
    r->run = ledger_run_new(kind);
    r->run->link = g_strdup(station->link);
    r->run->operator_ = g_strdup(station->settings.done_by);
    r->run->lot = g_strdup(station->settings.lot);
    r->begun = station_now(station);
}

void run_record_touch(struct wry_station *station)
{
    struct run_record *r = station->run_record;

    if (!r || r->touched)
        return;
    r->touched = true;
    g_free(r->run->link);
    r->run->link = g_strdup(station->link);
    note_surely(station);
}

void run_record_board(struct wry_station *station)
{
    struct run_record *r = station->run_record;

    if (!r || r->run->board)
        return;
    const struct wry_hello_reply *board = wry_session_board(&station->session);
    const struct wry_chip *chip = wry_chips_by_code(board->chip_code);
    r->touched = true;
    /* The link was chosen after the run began. */
    if (!r->run->link)
        r->run->link = g_strdup(station->link);
    r->run->board = wry_units_address(board->eui48);
    r->run->chip = chip ? g_strdup(chip->name) : g_strdup_printf("0x%04X", board->chip_code);
    r->run->flash = board->capacity;
    note_surely(station);
}

static char *to_text(JsonArray *array)
{
    JsonNode *node = json_node_new(JSON_NODE_ARRAY);

    json_node_set_array(node, array);
    char *text = json_to_string(node, FALSE);
    json_node_unref(node);
    return text;
}

static void replace(char **member, char *text)
{
    g_free(*member);
    *member = text;
}

static double seconds_since(struct wry_station *station, uint64_t begun)
{
    uint64_t now = station_now(station);

    /* A closed link has no clock; one opened later began when it was called. */
    if (begun == 0)
        begun = station->started;
    return station->called && now > begun ? (double)(now - begun) / 1e6 : 0;
}

static const char *outcome_name(enum wry_outcome outcome)
{
    return outcome == WRY_OUTCOME_DONE      ? "passed"
           : outcome == WRY_OUTCOME_STOPPED ? "stopped"
                                            : "failed";
}

static void add_step(JsonArray *list, const struct wry_run_step_done *step, bool runs)
{
    JsonObject *object = json_object_new();

    json_object_set_string_member(object, "step", wry_run_step_name(step->step));
    json_object_set_string_member(object, "outcome",
                                  runs            ? "running"
                                  : step->skipped ? "not needed"
                                                  : outcome_name(step->outcome));
    if (!runs) {
        /* Rounded to milliseconds. */
        json_object_set_double_member(object, "seconds",
                                      (double)(int64_t)(step->seconds * 1000) / 1000);
        json_object_set_int_member(object, "bytes", (gint64)step->bytes);
    }
    json_array_add_object_element(list, object);
}

void run_record_steps(struct wry_station *station, const GArray *steps, bool goes_on)
{
    struct run_record *r = station->run_record;
    JsonArray *list = json_array_new();

    for (guint i = 0; r && i < steps->len; i++) {
        const struct wry_run_step_done *step = &g_array_index(steps, struct wry_run_step_done, i);
        bool runs = goes_on && i + 1 == steps->len;
        add_step(list, step, runs);
        if (!runs && step->outcome != WRY_OUTCOME_DONE)
            replace(&r->run->failed_at, g_strdup(wry_run_step_name(step->step)));
    }
    if (r) {
        replace(&r->run->steps, to_text(list));
        note(station);
    }
    json_array_unref(list);
}

void run_record_changes(struct wry_station *station)
{
    if (station->run_record)
        station->run_record->changed = true;
}

void run_record_bytes(struct wry_station *station, uint64_t bytes)
{
    if (station->run_record)
        station->run_record->run->bytes += (int64_t)bytes;
}

static void add_content(JsonArray *list, const struct run_content *content)
{
    const struct wry_planned_image *facts = content->facts;
    JsonObject *object = json_object_new();

    if (facts->region)
        json_object_set_string_member(object, "region", facts->region->name);
    json_object_set_int_member(object, "offset", facts->start);
    json_object_set_int_member(object, "length", (gint64)facts->length);
    json_object_set_string_member(object, "file", facts->name);
    if (facts->has_header)
        json_object_set_string_member(object, "version", facts->header.version);
    if (content->sha256) {
        g_autofree char *digest = wry_units_digest(content->sha256);
        json_object_set_string_member(object, "sha256", digest);
    }
    json_array_add_object_element(list, object);
}

void run_record_contents(struct wry_station *station, const struct run_content *contents, size_t n)
{
    struct run_record *r = station->run_record;

    if (!r)
        return;
    JsonArray *list = json_array_new();
    for (size_t i = 0; i < n; i++) {
        const struct wry_planned_image *facts = contents[i].facts;
        add_content(list, &contents[i]);
        if (facts->has_header && facts->header.kind == WRY_PROGRAM_APP)
            replace(&r->run->firmware, g_strdup(facts->header.version));
    }
    replace(&r->run->contents, to_text(list));
    json_array_unref(list);
    note(station);
}

static char *file_digest(const char *file)
{
    g_autoptr(GMappedFile) map = g_mapped_file_new(file, FALSE, NULL);

    return map ? g_compute_checksum_for_data(G_CHECKSUM_SHA256,
                                             (const guchar *)g_mapped_file_get_contents(map),
                                             g_mapped_file_get_length(map))
               : NULL;
}

void run_record_archive(struct wry_station *station, const char *file)
{
    struct run_record *r = station->run_record;

    if (!r)
        return;
    g_autofree char *digest = file_digest(file);
    g_autofree char *name = g_path_get_basename(file);
    JsonArray *list = json_array_new();
    JsonObject *object = json_object_new();
    json_object_set_string_member(object, "file", name);
    if (digest)
        json_object_set_string_member(object, "sha256", digest);
    json_array_add_object_element(list, object);
    replace(&r->run->contents, to_text(list));
    json_array_unref(list);
}

void run_record_backup(struct wry_station *station, const char *file)
{
    struct run_record *r = station->run_record;

    if (!r)
        return;
    replace(&r->run->backup_file, g_canonicalize_filename(file, NULL));
    replace(&r->run->backup_sha256, file_digest(file));
    note(station);
}

void run_record_heard(struct wry_station *station, const char *text)
{
    struct run_record *r = station->run_record;

    if (!r || !text || text[0] == '\0')
        return;
    g_autofree char *masked = secrets_apply(station->secrets, text);
    const char *from = masked + strlen(masked);
    for (unsigned lines = 0; from > masked; from--) {
        lines += from[-1] == '\n' && from[0] != '\0';
        if (lines == HEARD_LINES || masked + strlen(masked) - from >= HEARD_MOST)
            break;
    }
    replace(&r->run->heard, g_utf8_make_valid(from, -1));
}

/* What was heard is in the problem's facts. */
static void take_problem(struct wry_station *station, const struct wry_problem *problem)
{
    struct run_record *r = station->run_record;

    if (problem->evidence.last_line && !r->run->heard)
        run_record_heard(station, problem->evidence.last_line);
    g_autofree char *sentence = wry_problem_sentence(problem);
    replace(&r->run->reason, secrets_apply(station->secrets, sentence));
    g_autofree char *advice = wry_problem_advice(problem);
    replace(&r->run->advice, advice ? secrets_apply(station->secrets, advice) : NULL);
}

void run_record_fail(struct wry_station *station, const struct wry_problem *problem,
                     const char *step)
{
    struct run_record *r = station->run_record;

    if (!r)
        return;
    r->outcome = problem->outcome;
    take_problem(station, problem);
    replace(&r->run->failed_at, g_strdup(step));
}

static void tell_about_server(struct wry_station *station)
{
    struct wry_ledger *ledger = station->settings.ledger;
    int waiting = wry_ledger_waiting(ledger);
    g_autofree char *problem = wry_ledger_problem(ledger);

    if (waiting > 0)
        station_tell(station, (struct wry_event){.kind = WRY_EVENT_NOTE,
                                                 .note = WRY_NOTE_LEDGER_WAITS,
                                                 .text = problem,
                                                 .n = (size_t)waiting});
    if (ledger_exposed_once(ledger))
        station_note(station, WRY_NOTE_LEDGER_EXPOSED, wry_ledger_name(ledger));
}

/* The board, a file or an option was not as it must be, and nothing was changed. */
static bool is_refusal(const struct run_record *r, enum wry_outcome outcome)
{
    return !r->changed && (outcome == WRY_OUTCOME_USAGE || outcome == WRY_OUTCOME_BAD_INPUT ||
                           outcome == WRY_OUTCOME_WRONG);
}

static void write_end(struct wry_station *station, const struct wry_problem *problem)
{
    struct run_record *r = station->run_record;
    g_autoptr(GError) error = NULL;

    enum wry_outcome outcome = problem ? problem->outcome : r->outcome;
    replace(&r->run->outcome, g_strdup(!problem && r->done_before ? "done before"
                                       : is_refusal(r, outcome)   ? "refused"
                                                                  : outcome_name(outcome)));
    replace(&r->run->ended, ledger_now());
    r->run->exit_code = outcome;
    r->run->seconds = seconds_since(station, r->begun);
    if (problem)
        take_problem(station, problem);
    if (problem && !r->run->failed_at)
        replace(&r->run->failed_at, g_strdup(r->run->board ? r->run->kind : "connect"));
    if (!r->failed && !ledger_end(station->settings.ledger, r->run, &error))
        tell_failure(station, error);
    tell_about_server(station);
}

struct wry_problem *run_record_end(struct wry_station *station, struct wry_problem *problem)
{
    struct run_record *r = station->run_record;

    if (!r || --r->depth > 0)
        return problem;
    if (r->touched)
        write_end(station, problem);
    wry_ledger_run_free(r->run);
    g_free(r);
    station->run_record = NULL;
    return problem;
}

void run_record_done_before(struct wry_station *station, const char *when)
{
    struct run_record *r = station->run_record;

    if (!r)
        return;
    r->done_before = true;
    replace(&r->run->reason, g_strdup_printf("already done %s", when ? when : "before"));
}

struct wry_ledger_run *run_record_run(struct wry_station *station)
{
    return station->run_record ? station->run_record->run : NULL;
}
