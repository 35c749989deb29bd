/* The sentences of all problems, and of the session's status codes. */
#pragma once

#include "template.h"

/* By enum wry_problem_kind. */
extern const struct template_row problem_table[];
extern const size_t problem_table_size;

/* By enum wry_status, for WRY_PROBLEM_SESSION. */
extern const struct template_row problem_table_session[];
extern const size_t problem_table_session_size;
