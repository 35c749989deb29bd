/* The facts of a problem by the names that its sentences use. */
#ifndef WRY_JOBS_PROBLEM_FACTS_H
#define WRY_JOBS_PROBLEM_FACTS_H

#include "wrytograph-host/problem.h"

/* A template_fact whose context is a struct wry_problem. */
char *problem_facts_text(const void *problem, const char *name);

#endif
