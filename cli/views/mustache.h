/*
 * Templates: text with marks that are filled in from JSON. The marks are a part of mustache(5):
 *
 *     {{name}}               the member's text, escaped for HTML and SVG; nothing if there is none
 *     {{#name}}…{{/name}}    once for each element of an array, once for an object, a text that is
 *                            not empty or true, and else not at all
 *     {{^name}}…{{/name}}    in the other cases
 *     {{>file}}              another template, with the same data
 *
 * A name is looked up in the innermost object first, and then in those around it.
 */
#pragma once

#include <json-glib/json-glib.h>
#include <stdbool.h>

/* Appends the template of this name, one of cli/templates, filled in from what the builder holds:
 * one complete object. */
void mustache_fill(GString *to, const char *name, JsonBuilder *data);

/* Appends a template that a user gives. False with error if its marks are not balanced, or name
 * another template. */
bool mustache_fill_text(GString *to, const char *text, JsonBuilder *data, GError **error);
