/* Single facts in words, as several sentences and results need them. */
#ifndef WRY_JOBS_FACT_WORDS_H
#define WRY_JOBS_FACT_WORDS_H

#include <stdint.h>

#include "wrytograph-host/problem.h"

/* What a file is that is surely no firmware, and what to do with it instead. */
const char *fact_words_content(enum wry_content content);
const char *fact_words_content_advice(enum wry_content content);

#endif
