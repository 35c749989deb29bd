/* The sentences of problems and notes, made from the files in jobs/words/sentences. */
#pragma once

#include "template.h"

/* By enum wry_problem_kind; the last row is for kinds without one. */
extern const struct template_row sentences_problems[];
extern const size_t sentences_problems_size;

/* By enum wry_status, for WRY_PROBLEM_SESSION. */
extern const struct template_row sentences_session[];
extern const size_t sentences_session_size;

/* By enum wry_note. */
extern const struct template_row sentences_notes[];
extern const size_t sentences_notes_size;
