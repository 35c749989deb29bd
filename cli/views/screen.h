/*
 * The screen of the serial terminal: what a board prints, as lines of text or in hexadecimal, and
 * the log of all lines.
 *
 * An incomplete line, such as a prompt, is shown too: at once on a terminal, otherwise when nothing
 * has followed for 100 ms. A carriage return alone rewrites the line on a terminal, and ends it
 * elsewhere.
 */
#pragma once

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <stdio.h>

struct screen;

struct screen_settings {
    bool quiet;       /* nothing is shown */
    bool timestamps;  /* lines begin with the time of day */
    bool hex;         /* bytes in hexadecimal, 16 in a line */
    bool colours;     /* the terminal shows those of the board */
    const char *only; /* show only lines with this text; NULL = all */
    FILE *log;        /* of all lines, with date and time; NULL = none. It remains the caller's */
};

/* settings: only and log must outlive the screen. */
struct screen *screen_new(const struct screen_settings *settings);

/* Shows the rest, and ends its line. */
void screen_free(struct screen *screen);

/* What was heard. A backspace takes a character back; control sequences (ECMA-48) are left out, but
 * for colours. Other bytes that are neither text nor line ends are shown as <9B>. */
void screen_hear(struct screen *screen, const uint8_t *bytes, size_t n);

/* Time passes: shows an incomplete line. */
void screen_tick(struct screen *screen);

/* Drops the line that is being received. */
void screen_drop_line(struct screen *screen);

/* Something else is printed next: an incomplete line on the terminal makes room for it. */
void screen_give_way(struct screen *screen);

/* A line was sent: it goes into the log. */
void screen_sent(struct screen *screen, const char *line);

/* True once the reader of stdout has ended, such as 'head'. */
bool screen_is_unread(const struct screen *screen);
