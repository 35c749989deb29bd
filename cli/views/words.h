/* Phrases for facts, shared by several views. Free the results of type char * with g_free. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/inspect.h"
#include "wrytograph-host/jobs.h"
#include "wrytograph-host/words.h"

/* True for an image at the place where the chip starts programs that it would not start. */
bool words_would_not_start(const struct wry_planned *planned,
                           const struct wry_planned_image *image);

/* The source of a layout. */
const char *words_layout(const struct wry_layout *layout);

/* "nothing", or a range and the bits; free with g_free. */
char *words_protected(const struct wry_identity *identity);

/* "02:57:… (Turnstone T2, 4 MiB (32 Mbit) flash) on /dev/ttyUSB0 at 921600 baud" */
char *words_board(const struct wry_station *station);

/* "in 5.0 s", with a remark if the time is simulated. */
char *words_duration(const struct wry_station *station, double seconds);

/* "0x004000, 0x00E000 and 2 more places" for a plan. */
char *words_offsets(const struct wry_planned *planned);

/* "4 data lines at 40 MHz", and "4 MiB (32 Mbit)" or "any". */
char *words_read_mode(const struct wry_boot_header *header);
char *words_header_flash(const struct wry_boot_header *header);

/* Phrases for checks of a boot header, a body, and a region table. */
const char *words_header_state(enum wry_header_state state);
const char *words_body_digest(bool fits);
const char *words_region_table(void);

/* The text, or another one if it is NULL or empty. */
const char *words_or(const char *text, const char *other);

/* "Pier gauges 3": a card with its version, if it has one; NULL for NULL. Free with g_free. */
char *words_card(const char *card, const char *version);
