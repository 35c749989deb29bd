/* Phrases for single facts, used in several sentences. */
#pragma once

#include <stdint.h>

#include "wrytograph-host/problem.h"

/* What to do instead of writing a file that is not firmware. */
const char *fact_words_content_advice(enum wry_content content);
