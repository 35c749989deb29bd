/* What problems, notes, findings and errors are in words. */
#include <string.h>

#include "harness.h"
#include "jobs/words/problem_facts.h"
#include "jobs/words/sentences.h"
#include "store/file/error.h"
#include "wrytograph-host/words.h"

/* A problem that has every fact, so that a fact without a text is one that nobody knows. */
static struct wry_problem complete(char **names, GError *cause)
{
    struct wry_problem problem = {.subject = (char *)"gauge.bin",
                                  .other = (char *)"app",
                                  .names = names,
                                  .cause = cause,
                                  .chip = wry_chip_at(0),
                                  .found_chip = wry_chip_at(1),
                                  .expected = 1,
                                  .found = 1,
                                  .content = WRY_CONTENT_PAGE,
                                  .evidence.finding = WRY_FINDING_STRAP,
                                  .region = {.name = "app", .offset = 0x40000, .length = 0x1000}};

    problem.fault =
        (struct wry_fault){.step = WRY_STEP_WRITE, .offset = 0x1000, .length = 1, .expected = 1};
    problem.fault.found = WRY_FLASH_COARSE;
    return problem;
}

static void check_facts(const char *text, const struct wry_problem *problem)
{
    for (const char *open = text; open && (open = strchr(open, '{')); open++) {
        g_autofree char *name = g_strndup(open + 1, strcspn(open + 1, "}"));
        g_autofree char *fact = problem_facts_text(problem, name);
        check_context("'%s' in \"%s\"", name, text);
        CHECK(fact != NULL);
    }
}

static void check_rows(const struct template_row *rows, size_t n)
{
    char *names[] = {(char *)"app", (char *)"log", NULL};
    g_autoptr(GError) cause =
        g_error_new_literal(WRY_STORE_ERROR, WRY_STORE_ERROR_NONE, "there is no setting 'x'");
    struct wry_problem problem = complete(names, cause);

    for (size_t i = 0; i < n; i++) {
        g_autofree char *condition =
            rows[i].when ? problem_facts_text(&problem, rows[i].when) : g_strdup("");
        CHECK(condition != NULL);
        check_facts(rows[i].sentence, &problem);
        check_facts(rows[i].advice, &problem);
    }
}

static void sentences_and_advice_name_only_facts_that_there_are(void)
{
    check_rows(sentences_problems, sentences_problems_size);
    check_rows(sentences_session, sentences_session_size);
}

static void every_kind_and_every_status_has_its_row(void)
{
    char *names[] = {(char *)"app", NULL};

    for (int kind = WRY_PROBLEM_NONE + 1; kind <= WRY_PROBLEM_CARD_NOT_FAILED; kind++) {
        struct wry_problem problem = complete(names, NULL);
        problem.kind = (enum wry_problem_kind)kind;
        g_autofree char *sentence = wry_problem_sentence(&problem);
        check_context("problem %d", kind);
        CHECK(!strstr(sentence, "without a name"));
    }
    for (int status = WRY_OK; status <= WRY_STOPPED; status++) {
        struct wry_problem problem = complete(names, NULL);
        problem.kind = WRY_PROBLEM_SESSION;
        problem.status = (enum wry_status)status;
        g_autofree char *sentence = wry_problem_sentence(&problem);
        check_context("status %d", status);
        CHECK(!strstr(sentence, "without a name"));
    }
}

static void a_row_with_a_condition_comes_before_the_one_without(void)
{
    for (size_t i = 1; i < sentences_problems_size; i++)
        CHECK(!sentences_problems[i].when ||
              sentences_problems[i - 1].kind != sentences_problems[i].kind ||
              sentences_problems[i - 1].when);
}

static void a_sentence_follows_a_name_and_advice_is_whole_sentences(void)
{
    for (size_t i = 0; i < sentences_problems_size; i++) {
        const char *sentence = sentences_problems[i].sentence,
                   *advice = sentences_problems[i].advice;
        CHECK(!g_str_has_suffix(sentence, "."));
        CHECK(!g_ascii_isupper(sentence[0]));
        CHECK(!advice || strchr("ABCDEFGHIJKLMNOPQRSTUVWXYZ'{- ", advice[0]));
    }
}

static void facts_are_filled_in_where_they_are_named(void)
{
    struct wry_problem problem = {.kind = WRY_PROBLEM_IMAGES_SHARE,
                                  .subject = (char *)"a.bin",
                                  .other = (char *)"b{c}.bin",
                                  .start = 0x1000,
                                  .last = 0x1FFF};
    g_autofree char *sentence = wry_problem_sentence(&problem);
    g_autofree char *advice = wry_problem_advice(&problem);

    CHECK_TEXT("a.bin and b{c}.bin overlap from 0x001000 to 0x001FFF", sentence);
    CHECK_TEXT("Nothing was changed. Check the places of the two files.", advice);
}

static void advice_depends_on_what_is_known(void)
{
    struct wry_problem problem = {
        .kind = WRY_PROBLEM_CARD_HOLDS, .subject = (char *)"tide-gauge", .region.name = "app"};
    g_autofree char *without = wry_problem_sentence(&problem);

    problem.other = (char *)"tide-gauge 2.3.0";
    g_autofree char *with = wry_problem_sentence(&problem);
    CHECK_TEXT("region 'app' should contain tide-gauge, but contains no program", without);
    CHECK_TEXT("region 'app' should contain tide-gauge, but contains tide-gauge 2.3.0", with);
}

static void a_problem_without_advice_has_none(void)
{
    g_autoptr(GError) cause = g_error_new_literal(WRY_STORE_ERROR, WRY_STORE_ERROR_FILE, "full");
    struct wry_problem problem = {.kind = WRY_PROBLEM_SYSTEM, .cause = cause};
    g_autofree char *sentence = wry_problem_sentence(&problem);

    CHECK_TEXT("full", sentence);
    CHECK(wry_problem_advice(&problem) == NULL);
}

static void notes_say_where_and_how_many(void)
{
    const struct wry_place places[] = {{0x1000, 0x1000}, {0x2000, 0x1000}, {0x3000, 0x1000}, {0}};
    struct wry_event event = {.kind = WRY_EVENT_NOTE, .note = WRY_NOTE_PUT_BACK, .places = places};
    g_autofree char *row = wry_note_text(&event);

    event.places = places + 2;
    g_autofree char *one = wry_note_text(&event);
    CHECK(strstr(row, "sectors 0x001000 to 0x003000.") != NULL);
    CHECK(strstr(one, "sector 0x003000.") != NULL);
}

static void every_note_but_three_has_words(void)
{
    for (int note = WRY_NOTE_ONLY_ADAPTER; note <= WRY_NOTE_SPEED_TRIED; note++) {
        struct wry_event event = {
            .kind = WRY_EVENT_NOTE, .note = (enum wry_note)note, .text = "what"};
        g_autofree char *text = wry_note_text(&event);
        CHECK((text == NULL) ==
              (note == WRY_NOTE_SEEN || note == WRY_NOTE_LISTENING || note == WRY_NOTE_SENT));
    }
}

static void findings_have_a_cause_and_what_to_check(void)
{
    for (int finding = WRY_FINDING_GOOD; finding <= WRY_FINDING_STRAP_HELD; finding++) {
        const char *const *checks = wry_finding_checks((enum wry_finding)finding);
        CHECK(wry_finding_cause((enum wry_finding)finding) != NULL);
        CHECK((checks[0] == NULL) == (finding == WRY_FINDING_GOOD));
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(sentences_and_advice_name_only_facts_that_there_are),
        FACT(every_kind_and_every_status_has_its_row),
        FACT(a_row_with_a_condition_comes_before_the_one_without),
        FACT(a_sentence_follows_a_name_and_advice_is_whole_sentences),
        FACT(facts_are_filled_in_where_they_are_named),
        FACT(advice_depends_on_what_is_known),
        FACT(a_problem_without_advice_has_none),
        FACT(notes_say_where_and_how_many),
        FACT(every_note_but_three_has_words),
        FACT(findings_have_a_cause_and_what_to_check),
    };

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
