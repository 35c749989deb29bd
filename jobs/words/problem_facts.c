/* The facts of a problem, by name. */
#include "problem_facts.h"

#include <string.h>

#include "fact_words.h"
#include "wrytograph-host/error.h"
#include "wrytograph-host/units.h"
#include "wrytograph-host/words.h"
#include "wrytograph/boot_header.h"

static char *offset_text(uint64_t offset)
{
    return g_strdup_printf("0x%06" G_GINT64_MODIFIER "X", offset);
}

static char *number_text(uint64_t number)
{
    return g_strdup_printf("%" G_GUINT64_FORMAT, number);
}

static char *if_true(bool condition)
{
    return condition ? g_strdup("") : NULL;
}

static char *joined(const struct wry_problem *p, const char *between)
{
    return p->names && p->names[0] ? g_strjoinv(between, p->names) : NULL;
}

/* A function with the name of the fact that it returns. */
#define FACT(fact, text)                                                                           \
    static char *fact(const struct wry_problem *p)                                                 \
    {                                                                                              \
        return text;                                                                               \
    }

/* Members. */
FACT(subject, g_strdup(p->subject))
FACT(other, g_strdup(p->other))
FACT(expected, number_text(p->expected))
FACT(found, number_text(p->found))
FACT(start, offset_text(p->start))
FACT(last, offset_text(p->last))
FACT(end, offset_text(p->expected))
FACT(expected_flash, wry_units_flash_size((uint32_t)p->expected))
FACT(found_flash, wry_units_flash_size((uint32_t)p->found))
FACT(address, wry_units_address(p->address))
FACT(found_address, wry_units_address(p->found_address))
static const char *chip_words(const struct wry_chip *chip)
{
    return chip ? chip->title : "chip that is not known here";
}

FACT(chip, g_strdup(chip_words(p->chip)))
FACT(found_chip, g_strdup(chip_words(p->found_chip)))

FACT(cause, g_strdup(p->cause ? p->cause->message : NULL))
FACT(error_advice, g_strdup(p->cause ? wry_error_advice(p->cause) : NULL))
FACT(unknown_setting, if_true(g_error_matches(p->cause, WRY_STORE_ERROR, WRY_STORE_ERROR_NONE)))

static char *names(const struct wry_problem *p)
{
    char *list = joined(p, ", ");

    return list ? list : g_strdup("none");
}

static char *transferred(const struct wry_problem *p)
{
    g_autofree char *found = wry_units_bytes(p->found), *expected = wry_units_bytes(p->expected);

    if (p->expected == 0)
        return g_strdup(found);
    return g_strdup_printf("%" G_GUINT64_FORMAT " %% of %s", p->found * 100 / p->expected,
                           expected);
}

FACT(names_or, joined(p, " or "))
FACT(names_listed, joined(p, "\n  "))

/* A list after a colon. */
static char *shelf_listed(const struct wry_problem *p)
{
    g_autofree char *list = joined(p, "\n  ");

    return list ? g_strconcat("\n  ", list, NULL) : g_strdup(" nothing");
}

FACT(first_name, g_strdup(p->names ? p->names[0] : NULL))

/* Only if there are several regions. */
static char *touched(const struct wry_problem *p)
{
    g_autofree char *list = joined(p, ", ");
    bool several = list && p->names[1];

    return several ? g_strconcat("; it overlaps: ", list, NULL) : g_strdup("");
}

static char *adapters(const struct wry_problem *p)
{
    GString *list = g_string_new(NULL);

    for (char **name = p->names; *name; name += 2)
        g_string_append_printf(list, "\n  %-16s %s", name[0], name[1]);
    return g_string_free(list, FALSE);
}

FACT(adapter_count, g_strdup_printf("%u", g_strv_length(p->names) / 2))
FACT(region, p->region.name[0] ? g_strdup(p->region.name) : NULL)
FACT(region_kind,
     g_strdup(p->region.kind == WRY_REGION_TABLE ? "a region table"
                                                 : wry_region_kind_name(p->region.kind)))
FACT(region_start, offset_text(p->region.offset))
FACT(region_last, offset_text(p->region.offset + p->region.length - 1))
FACT(region_kib, g_strdup_printf("%u", (unsigned)(p->region.length / 1024)))
FACT(program, g_strdup(wry_program_kind_title((uint8_t)p->found)))
FACT(other_program, g_strdup(p->found == WRY_PROGRAM_START ? "an application" : "a start program"))
FACT(content, g_strdup(wry_content_text(p->content)))
FACT(content_advice, g_strdup(fact_words_content_advice(p->content)))
FACT(chip_code, g_strdup_printf("0x%04X", p->chip_code))
FACT(chip_lines, g_strdup_printf("%u", p->chip->read_lines_most))
FACT(chip_clock, g_strdup_printf("%u", p->chip->read_clock_most))

/* A condition without text. */
FACT(any_expected, if_true(p->expected > 0))
FACT(any_found, if_true(p->found > 0))
FACT(frames_counted, if_true(p->fault.expected > 0))
FACT(one_image, if_true(p->found == 1))

/* From the session's fault. */
FACT(fault_start, offset_text(p->fault.offset))
FACT(fault_last, p->fault.length > 0 ? offset_text(p->fault.offset + p->fault.length - 1) : NULL)
FACT(fault_expected, number_text((uint32_t)p->fault.expected))
FACT(fault_found, g_strdup_printf("%u", (unsigned)p->fault.found))
FACT(fault_flash, p->fault.found > 0 ? wry_units_flash_size((uint32_t)p->fault.found) : NULL)
FACT(fault_size, wry_units_flash_size((uint32_t)p->fault.expected))
FACT(written_to,
     p->fault.step == WRY_STEP_WRITE && p->fault.offset > 0 ? offset_text(p->fault.offset) : NULL)
FACT(limit, wry_flash_limit_text((uint8_t)p->fault.found, p->fault.expected))
FACT(jedec, wry_units_jedec(p->jedec))
FACT(speed, g_strdup_printf("%u", (unsigned)p->speed))
FACT(status, g_strdup_printf("%d", (int)p->status))
FACT(kind, g_strdup_printf("%d", (int)p->kind))
FACT(heard, wry_evidence_text(&p->evidence))
FACT(finding,
     p->evidence.finding == WRY_FINDING_GOOD ? NULL : g_strdup(wry_evidence_cause(&p->evidence)))

/* Includes the finding that nothing is wrong. */
FACT(verdict, g_strdup(wry_evidence_cause(&p->evidence)))

static char *check(const struct wry_problem *p)
{
    g_auto(GStrv) checks = wry_evidence_checks(&p->evidence);

    return g_strdup(checks[0]);
}

FACT(after_line, p->other ? g_strdup_printf(" after '%s' was sent", p->other) : g_strdup(""))

#define ROW(fact)                                                                                  \
    {                                                                                              \
#fact, fact                                                                                \
    }

static const struct {
    const char *name;
    char *(*make)(const struct wry_problem *p);
} facts[] = {
    ROW(subject),       ROW(other),          ROW(expected),      ROW(found),
    ROW(start),         ROW(last),           ROW(end),           ROW(expected_flash),
    ROW(found_flash),   ROW(address),        ROW(found_address), ROW(chip),
    ROW(found_chip),    ROW(cause),          ROW(error_advice),  ROW(unknown_setting),
    ROW(names),         ROW(transferred),    ROW(names_or),      ROW(names_listed),
    ROW(shelf_listed),  ROW(first_name),     ROW(touched),       ROW(adapters),
    ROW(adapter_count), ROW(region),         ROW(region_kind),   ROW(region_start),
    ROW(region_last),   ROW(region_kib),     ROW(program),       ROW(other_program),
    ROW(content),       ROW(content_advice), ROW(chip_code),     ROW(chip_lines),
    ROW(chip_clock),    ROW(any_expected),   ROW(any_found),     ROW(frames_counted),
    ROW(one_image),     ROW(fault_start),    ROW(fault_last),    ROW(fault_expected),
    ROW(fault_found),   ROW(fault_flash),    ROW(fault_size),    ROW(written_to),
    ROW(limit),         ROW(jedec),          ROW(speed),         ROW(status),
    ROW(kind),          ROW(heard),          ROW(finding),       ROW(verdict),
    ROW(check),         ROW(after_line),
};

char *problem_facts_text(const void *problem, const char *name)
{
    for (size_t i = 0; i < G_N_ELEMENTS(facts); i++) {
        if (strcmp(facts[i].name, name) == 0)
            return facts[i].make(problem);
    }
    return NULL;
}
