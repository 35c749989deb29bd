/*
 * The lines typed into the serial terminal: the one being typed, and those before it, which can be
 * had again. They are kept in memory only, since some are passwords.
 *
 *     struct typed *typed = typed_new();
 *     typed_key(typed, 'v');
 *     typed_recall(typed, true, keys);   what a person would type to get the line before
 *     typed_end(typed);                  Enter
 *     typed_free(typed);
 */
#pragma once

#include <glib.h>
#include <stdbool.h>

struct typed;

struct typed *typed_new(void);
void typed_free(struct typed *typed);

/* A key that was sent: one byte of text (UTF-8), or one that takes a character back. */
void typed_key(struct typed *typed, char key);

/* The line so far; belongs to typed. */
const char *typed_line(const struct typed *typed);

/* The line is complete: the next one begins. */
void typed_end(struct typed *typed);

/* The line before (back) or after the one that was had last, instead of what is being typed:
 * appends the keys to send for it to keys. Nothing if there is none. */
void typed_recall(struct typed *typed, bool back, GString *keys);
