/* The facts of a problem by the names that its sentences use. */
#pragma once

#include "wrytograph-host/problem.h"

/* A template_fact whose context is a struct wry_problem. */
char *problem_facts_text(const void *problem, const char *name);
