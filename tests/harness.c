/* A small test harness. */
#include "harness.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static unsigned failures;
static char context[256];

void check_context(const char *format, ...)
{
    context[0] = '\0';
    if (!format)
        return;
    va_list arguments;

    va_start(arguments, format);
    vsnprintf(context, sizeof context, format, arguments);
    va_end(arguments);
}

static void say_where(const char *file, int line)
{
    failures++;
    printf("%s:%d: %s%s", file, line, context, context[0] ? ": " : "");
}

void check_true(bool holds, const char *file, int line, const char *text)
{
    if (holds)
        return;
    say_where(file, line);
    printf("does not hold: %s\n", text);
}

void check_equal(long long expected, long long found, const char *file, int line, const char *text)
{
    if (expected == found)
        return;
    say_where(file, line);
    printf("%s is %lld (0x%llX), not %lld (0x%llX)\n", text, found, (unsigned long long)found,
           expected, (unsigned long long)expected);
}

void check_text(const char *expected, const char *found, const char *file, int line,
                const char *text)
{
    if (expected && found ? strcmp(expected, found) == 0 : expected == found)
        return;
    say_where(file, line);
    printf("%s is \"%s\", not \"%s\"\n", text, found ? found : "(none)",
           expected ? expected : "(none)");
}

unsigned check_one_in(unsigned n)
{
#ifdef __SANITIZE_ADDRESS__
    return n > 1 ? 2 * n + 1 : 1;
#else
    return getenv("WRY_EVERY_CASE") ? 1 : n;
#endif
}

static bool is_wanted(const char *name, int argc, char **argv)
{
    for (int i = 1; i < argc; i++) {
        if (strcmp(argv[i], name) == 0)
            return true;
    }
    return argc < 2;
}

int run_facts(const struct fact *facts, size_t count, int argc, char **argv)
{
    unsigned failed = 0, run = 0;

    for (size_t i = 0; i < count; i++) {
        if (!is_wanted(facts[i].name, argc, argv))
            continue;
        failures = 0;
        context[0] = '\0';
        facts[i].check();
        printf("%s %s\n", failures == 0 ? "holds " : "BROKEN", facts[i].name);
        fflush(stdout);
        failed += failures > 0;
        run++;
    }
    printf("%u facts, %u broken\n", run, failed);
    return failed > 0 || run == 0;
}
