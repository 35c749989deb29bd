/* Phrases for single facts, used in several sentences. */
#pragma once

#include <stdint.h>

#include "wrytograph-host/problem.h"

/* What a file is that is not firmware, and what to do instead. */
const char *fact_words_content(enum wry_content content);
const char *fact_words_content_advice(enum wry_content content);
