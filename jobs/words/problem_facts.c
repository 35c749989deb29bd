/* The facts of a problem, by name. */
#include "problem_facts.h"

#include <stddef.h>
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

static char *error_text(const struct wry_problem *p)
{
    return g_strdup(p->cause ? p->cause->message : NULL);
}

static char *error_advice(const struct wry_problem *p)
{
    return g_strdup(p->cause ? wry_error_advice(p->cause) : NULL);
}

static char *unknown_setting(const struct wry_problem *p)
{
    return if_true(g_error_matches(p->cause, WRY_STORE_ERROR, WRY_STORE_ERROR_NONE));
}

static char *names_text(const struct wry_problem *p)
{
    char *names = joined(p, ", ");

    return names ? names : g_strdup("none");
}

static char *names_or(const struct wry_problem *p)
{
    return joined(p, " or ");
}

static char *names_listed(const struct wry_problem *p)
{
    return joined(p, "\n  ");
}

/* A list after a colon. */
static char *shelf_listed(const struct wry_problem *p)
{
    g_autofree char *names = joined(p, "\n  ");

    return names ? g_strconcat("\n  ", names, NULL) : g_strdup(" nothing");
}

static char *first_name(const struct wry_problem *p)
{
    return g_strdup(p->names ? p->names[0] : NULL);
}

/* Only if there are several regions. */
static char *touched(const struct wry_problem *p)
{
    g_autofree char *names = joined(p, ", ");
    bool several = names && p->names[1];

    return several ? g_strconcat("; it overlaps: ", names, NULL) : g_strdup("");
}

static char *adapters(const struct wry_problem *p)
{
    GString *list = g_string_new(NULL);

    for (char **name = p->names; *name; name += 2)
        g_string_append_printf(list, "\n  %-16s %s", name[0], name[1]);
    return g_string_free(list, FALSE);
}

static char *adapter_count(const struct wry_problem *p)
{
    return g_strdup_printf("%u", g_strv_length(p->names) / 2);
}

static char *region_name(const struct wry_problem *p)
{
    return p->region.name[0] ? g_strdup(p->region.name) : NULL;
}

static char *region_kind(const struct wry_problem *p)
{
    return g_strdup(p->region.kind == WRY_REGION_TABLE ? "a region table"
                                                       : wry_region_kind_name(p->region.kind));
}

static char *region_start(const struct wry_problem *p)
{
    return offset_text(p->region.offset);
}

static char *region_last(const struct wry_problem *p)
{
    return offset_text(p->region.offset + p->region.length - 1);
}

static char *region_kib(const struct wry_problem *p)
{
    return g_strdup_printf("%u", (unsigned)(p->region.length / 1024));
}

static char *program(const struct wry_problem *p)
{
    return g_strdup(wry_program_kind_title((uint8_t)p->found));
}

static char *other_program(const struct wry_problem *p)
{
    return g_strdup(p->found == WRY_PROGRAM_START ? "an application" : "a start program");
}

static char *content(const struct wry_problem *p)
{
    return g_strdup(fact_words_content(p->content));
}

static char *content_advice(const struct wry_problem *p)
{
    return g_strdup(fact_words_content_advice(p->content));
}

static char *chip_code(const struct wry_problem *p)
{
    return g_strdup_printf("0x%04X", p->chip_code);
}

static char *board_chip(const struct wry_problem *p)
{
    return g_strdup(p->found_chip ? p->found_chip->title : "chip unknown to this version");
}

static char *chip_lines(const struct wry_problem *p)
{
    return g_strdup_printf("%u", p->chip->read_lines_most);
}

static char *chip_clock(const struct wry_problem *p)
{
    return g_strdup_printf("%u", p->chip->read_clock_most);
}

/* A condition without text. */
static char *any_expected(const struct wry_problem *p)
{
    return if_true(p->expected > 0);
}

static char *any_found(const struct wry_problem *p)
{
    return if_true(p->found > 0);
}

static char *frames_counted(const struct wry_problem *p)
{
    return if_true(p->fault.expected > 0);
}

static char *one_image(const struct wry_problem *p)
{
    return if_true(p->found == 1);
}

/* From the session's fault. */
static char *fault_start(const struct wry_problem *p)
{
    return offset_text(p->fault.offset);
}

static char *fault_last(const struct wry_problem *p)
{
    return p->fault.length > 0 ? offset_text(p->fault.offset + p->fault.length - 1) : NULL;
}

static char *fault_expected(const struct wry_problem *p)
{
    return number_text((uint32_t)p->fault.expected);
}

static char *fault_found(const struct wry_problem *p)
{
    return g_strdup_printf("%u", (unsigned)p->fault.found);
}

static char *fault_size(const struct wry_problem *p)
{
    return wry_units_flash_size((uint32_t)p->fault.expected);
}

static char *written_to(const struct wry_problem *p)
{
    return p->fault.step == WRY_STEP_WRITE && p->fault.offset > 0 ? offset_text(p->fault.offset)
                                                                  : NULL;
}

static char *limit(const struct wry_problem *p)
{
    return wry_flash_limit_text((uint8_t)p->fault.found, p->fault.expected);
}

static char *jedec(const struct wry_problem *p)
{
    return wry_units_jedec(p->jedec);
}

static char *speed(const struct wry_problem *p)
{
    return g_strdup_printf("%u", (unsigned)p->speed);
}

static char *status(const struct wry_problem *p)
{
    return g_strdup_printf("%d", (int)p->status);
}

static char *kind(const struct wry_problem *p)
{
    return g_strdup_printf("%d", (int)p->kind);
}

static char *heard(const struct wry_problem *p)
{
    return wry_evidence_text(&p->evidence);
}

static char *finding(const struct wry_problem *p)
{
    return p->evidence.finding == WRY_FINDING_GOOD
               ? NULL
               : g_strdup(wry_finding_cause(p->evidence.finding));
}

/* Includes the finding that nothing is wrong. */
static char *verdict(const struct wry_problem *p)
{
    return g_strdup(wry_finding_cause(p->evidence.finding));
}

static char *check(const struct wry_problem *p)
{
    return g_strdup(wry_finding_checks(p->evidence.finding)[0]);
}

static char *after_line(const struct wry_problem *p)
{
    return p->other ? g_strdup_printf(" after '%s' was sent", p->other) : g_strdup("");
}

enum form { TEXT, NUMBER, OFFSET32, OFFSET, FLASH_SIZE, ADDRESS, CHIP, MADE };

#define AT(member) offsetof(struct wry_problem, member)

static const struct fact {
    const char *name;
    enum form form;
    size_t at; /* offset of the member, if the fact is one */
    char *(*make)(const struct wry_problem *p);
} facts[] = {
    {"subject", TEXT, AT(subject), NULL},
    {"other", TEXT, AT(other), NULL},
    {"expected", NUMBER, AT(expected), NULL},
    {"found", NUMBER, AT(found), NULL},
    {"start", OFFSET32, AT(start), NULL},
    {"last", OFFSET, AT(last), NULL},
    {"end", OFFSET, AT(expected), NULL},
    {"expected_flash", FLASH_SIZE, AT(expected), NULL},
    {"found_flash", FLASH_SIZE, AT(found), NULL},
    {"address", ADDRESS, AT(address), NULL},
    {"found_address", ADDRESS, AT(found_address), NULL},
    {"chip", CHIP, AT(chip), NULL},
    {"found_chip", CHIP, AT(found_chip), NULL},
    {"cause", MADE, 0, error_text},
    {"error_advice", MADE, 0, error_advice},
    {"unknown_setting", MADE, 0, unknown_setting},
    {"names", MADE, 0, names_text},
    {"names_or", MADE, 0, names_or},
    {"names_listed", MADE, 0, names_listed},
    {"shelf_listed", MADE, 0, shelf_listed},
    {"first_name", MADE, 0, first_name},
    {"touched", MADE, 0, touched},
    {"adapters", MADE, 0, adapters},
    {"adapter_count", MADE, 0, adapter_count},
    {"region", MADE, 0, region_name},
    {"region_kind", MADE, 0, region_kind},
    {"region_start", MADE, 0, region_start},
    {"region_last", MADE, 0, region_last},
    {"region_kib", MADE, 0, region_kib},
    {"program", MADE, 0, program},
    {"other_program", MADE, 0, other_program},
    {"content", MADE, 0, content},
    {"content_advice", MADE, 0, content_advice},
    {"chip_code", MADE, 0, chip_code},
    {"board_chip", MADE, 0, board_chip},
    {"chip_lines", MADE, 0, chip_lines},
    {"chip_clock", MADE, 0, chip_clock},
    {"any_expected", MADE, 0, any_expected},
    {"any_found", MADE, 0, any_found},
    {"frames_counted", MADE, 0, frames_counted},
    {"one_image", MADE, 0, one_image},
    {"fault_start", MADE, 0, fault_start},
    {"fault_last", MADE, 0, fault_last},
    {"fault_expected", MADE, 0, fault_expected},
    {"fault_found", MADE, 0, fault_found},
    {"fault_size", MADE, 0, fault_size},
    {"written_to", MADE, 0, written_to},
    {"limit", MADE, 0, limit},
    {"jedec", MADE, 0, jedec},
    {"speed", MADE, 0, speed},
    {"status", MADE, 0, status},
    {"kind", MADE, 0, kind},
    {"heard", MADE, 0, heard},
    {"finding", MADE, 0, finding},
    {"verdict", MADE, 0, verdict},
    {"check", MADE, 0, check},
    {"after_line", MADE, 0, after_line},
};

static char *member_text(const struct wry_problem *p, const struct fact *fact)
{
    const void *member = (const char *)p + fact->at;

    switch (fact->form) {
    case TEXT:
        return g_strdup(*(char *const *)member);
    case NUMBER:
        return number_text(*(const uint64_t *)member);
    case OFFSET32:
        return offset_text(*(const uint32_t *)member);
    case OFFSET:
        return offset_text(*(const uint64_t *)member);
    case FLASH_SIZE:
        return wry_units_flash_size((uint32_t) * (const uint64_t *)member);
    case ADDRESS:
        return wry_units_address(member);
    case CHIP:
        return g_strdup(wry_chip_title(*(const struct wry_chip *const *)member));
    case MADE:
        break;
    }
    return fact->make(p);
}

char *problem_facts_text(const void *problem, const char *name)
{
    for (size_t i = 0; i < G_N_ELEMENTS(facts); i++) {
        if (strcmp(facts[i].name, name) == 0)
            return member_text(problem, &facts[i]);
    }
    return NULL;
}
