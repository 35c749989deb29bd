/* Problems and notes of the library, as output of the command. */
#include "explain.h"

#include "wrytograph-host/error.h"
#include "wrytograph-host/words.h"

int explain(struct app *app, const struct wry_problem *problem)
{
    g_autofree char *sentence = wry_problem_sentence(problem);
    g_autofree char *advice = wry_problem_advice(problem);

    return app_fail(app, (enum exit_code)problem->outcome, advice, "%s", sentence);
}

int explain_error(struct app *app, GError *error)
{
    int code = app_fail(app, (enum exit_code)wry_error_outcome(error), wry_error_advice(error),
                        "%s", error->message);

    g_error_free(error);
    return code;
}

void explain_note(const struct app *app, const struct wry_event *event)
{
    g_autofree char *text = wry_note_text(event);

    if (text)
        app_note(app, "%s", text);
}
