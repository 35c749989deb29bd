/*
 * Tables of what a mapping of a YAML file may hold, and how each member is taken.
 *
 *     static const struct yaml_member rows[] = {
 *         {"send", yaml_take_line, offsetof(struct step, send), NULL},
 *         {"within", yaml_take_time, offsetof(struct step, within), NULL},
 *     };
 *     static const struct yaml_members members = {"a step", rows, G_N_ELEMENTS(rows)};
 *     yaml_members_read(yaml, node, &members, &step);
 *
 * A member that is in no row is a mistake, whose text lists the names in the order of the rows.
 */
#ifndef WRY_BASE_YAML_MEMBERS_H
#define WRY_BASE_YAML_MEMBERS_H

#include "yaml_text.h"

struct yaml_field;

/* FALSE after a complaint. */
typedef gboolean yaml_take(struct yaml_text *yaml, const struct yaml_field *field);

struct yaml_member {
    const char *name;
    yaml_take *take;
    size_t at;        /* of what the common functions below fill in, within the target */
    const void *rule; /* what they want besides */
};

struct yaml_members {
    const char *what; /* "a step", for complaints */
    const struct yaml_member *rows;
    size_t n;
    const char *known; /* the names, for complaints; NULL: all in the order of the rows */
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

/* Complains about the value of a field. */
#define yaml_field_complain(yaml, field, ...)                                                      \
    yaml_text_complain((yaml), yaml_text_place((field)->value), __VA_ARGS__)

/* It is read elsewhere. */
yaml_take yaml_take_elsewhere;

/* One line of text; char *. */
yaml_take yaml_take_line;

/* true or false; bool. */
yaml_take yaml_take_bool;

/* A whole number; rule: struct yaml_range. */
struct yaml_range {
    uint64_t least, most;
    size_t size; /* bytes of the member: 1, 4 or 8 */
};
yaml_take yaml_take_number;

/* One of some words; rule: their names, which end with NULL. unsigned: which. */
yaml_take yaml_take_choice;

/* 5s, in us; uint64_t. 256K, uint32_t. 115200, uint32_t. */
yaml_take yaml_take_time;
yaml_take yaml_take_offset;
yaml_take yaml_take_speed;

/* A mapping, whose members go into the same target; rule: struct yaml_shape. */
struct yaml_shape {
    const char *written; /* "{when: first}" */
    const struct yaml_members *members;
};
yaml_take yaml_take_mapping;

#endif
