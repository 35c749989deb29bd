/* Problems in words: chooses a row and fills in the facts. */
#include "problem_facts.h"
#include "sentences.h"
#include "wrytograph-host/words.h"

static const struct template_row *row_of(const struct wry_problem *problem)
{
    const struct template_row *row =
        problem->kind == WRY_PROBLEM_SESSION
            ? template_find(sentences_session, sentences_session_size, (int)problem->status,
                            problem_facts_text, problem)
            : template_find(sentences_problems, sentences_problems_size, (int)problem->kind,
                            problem_facts_text, problem);

    return row ? row : &sentences_problems[sentences_problems_size - 1];
}

char *wry_problem_sentence(const struct wry_problem *problem)
{
    return template_fill(row_of(problem)->sentence, problem_facts_text, problem);
}

char *wry_problem_advice(const struct wry_problem *problem)
{
    char *advice = template_fill(row_of(problem)->advice, problem_facts_text, problem);

    if (advice && advice[0] == '\0')
        g_clear_pointer(&advice, g_free);
    return advice;
}

const char *wry_problem_cause(const struct wry_problem *problem)
{
    bool was_judged = problem->kind == WRY_PROBLEM_SESSION &&
                      (problem->status == WRY_NO_ANSWER || problem->status == WRY_LINK_LOST);

    return was_judged && problem->evidence.finding != WRY_FINDING_GOOD
               ? wry_evidence_cause(&problem->evidence)
               : NULL;
}
