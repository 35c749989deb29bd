/*
 * Tables of the members that a YAML mapping may have, and how each is read.
 *
 *     static const struct yaml_member rows[] = {
 *         {"send", yaml_take_line, offsetof(struct step, send), NULL},
 *         {"within", yaml_take_time, offsetof(struct step, within), NULL},
 *     };
 *     static const struct yaml_members members = {"a step", rows, G_N_ELEMENTS(rows)};
 *
 *     yaml_members_read(yaml, node, &members, &step);
 *
 * A member without a row is a mistake; the message lists the names in the order of the rows.
 */
#pragma once

#include "yaml_text.h"

struct yaml_field;

/* Reads one member. FALSE after yaml_text_complain. */
typedef gboolean yaml_take(struct yaml_text *yaml, const struct yaml_field *field);

struct yaml_member {
    const char *name;
    yaml_take *take;
    size_t at;        /* offset of the value within the target, for the functions below */
    const void *rule; /* parameter of those functions */
};

struct yaml_members {
    const char *what; /* "a step", for messages */
    const struct yaml_member *rows;
    size_t n;
    const char *known; /* the names, for messages; NULL: those of the rows */
};

/* One member of a file. */
struct yaml_field {
    const struct yaml_member *member;
    const yaml_node_t *key, *value;
    void *target;
};

/* mapping: a mapping node. FALSE if anything in it was wrong. */
gboolean yaml_members_read(struct yaml_text *yaml, const yaml_node_t *mapping,
                           const struct yaml_members *members, void *target);

/* Reports a mistake in the value of a field. */
#define yaml_field_complain(yaml, field, ...)                                                      \
    yaml_text_complain((yaml), yaml_text_place((field)->value), __VA_ARGS__)

/* Ignores it: it is read elsewhere. */
yaml_take yaml_take_elsewhere;

/* Reads one line of text into a char *. */
yaml_take yaml_take_line;

/* Reads true or false into a bool. */
yaml_take yaml_take_bool;

/* Reads a whole number; rule: struct yaml_range. */
struct yaml_range {
    uint64_t least, most;
    size_t size; /* bytes of the member: 1, 4 or 8 */
};
yaml_take yaml_take_number;

/* Reads one of several words into an unsigned, as its index; rule: the words, ending with NULL. */
yaml_take yaml_take_choice;

/* Read 5s into a uint64_t of us, 256K into a uint32_t, and 115200 into a uint32_t. */
yaml_take yaml_take_time;
yaml_take yaml_take_offset;
yaml_take yaml_take_speed;

/* Reads a mapping whose members belong to the same target; rule: struct yaml_shape. */
struct yaml_shape {
    const char *written; /* "{when: first}" */
    const struct yaml_members *members;
};
yaml_take yaml_take_mapping;
