/*
 * A small harness: a test program is a list of named facts. A CHECK that fails prints where and
 * what, and the fact goes on, so that one run shows all that is wrong.
 *
 *     static void blank_is_all_ones(void) { CHECK(wry_bytes_blank(ones, 4)); }
 *     int main(int argc, char **argv)
 *     {
 *         static const struct fact facts[] = {FACT(blank_is_all_ones)};
 *         return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
 *     }
 *
 * With arguments, only the facts named are run.
 */
#ifndef WRY_TESTS_HARNESS_H
#define WRY_TESTS_HARNESS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct fact {
    const char *name;
    void (*check)(void);
};

#define FACT(function)                                                                             \
    {                                                                                              \
#function, function                                                                        \
    }

/* The expression's text is worth a macro. */
#define CHECK(condition) check_true((condition), __FILE__, __LINE__, #condition)
#define CHECK_EQUAL(expected, found)                                                               \
    check_equal((long long)(expected), (long long)(found), __FILE__, __LINE__, #found)
/* Two texts; either may be NULL. */
#define CHECK_TEXT(expected, found) check_text((expected), (found), __FILE__, __LINE__, #found)

void check_true(bool holds, const char *file, int line, const char *text);
void check_equal(long long expected, long long found, const char *file, int line, const char *text);

void check_text(const char *expected, const char *found, const char *file, int line,
                const char *text);

/* Said with the next failure: which seed or case is being run; NULL: none any more. */
void check_context(const char *format, ...);

/* Of many cases, one in so many: returns n, or 1 where WRY_EVERY_CASE is set in the environment. An
 * instrumented program, which is much slower, always looks at fewer. */
unsigned check_one_in(unsigned n);

int run_facts(const struct fact *facts, size_t count, int argc, char **argv);

#endif
