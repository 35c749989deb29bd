/* Facts in the words that several views share. Those that return char * are freed with g_free. */
#ifndef WRY_CLI_WORDS_H
#define WRY_CLI_WORDS_H

#include "app/app.h"
#include "wrytograph-host/inspect.h"
#include "wrytograph-host/jobs.h"

/* "Turnstone T2", or that it is not known here. */
const char *words_chip(const struct wry_chip *chip);

/* Where the layout comes from. */
/* "an application", "a start program" or "a program", by the kind in its header. */
const char *words_program(uint8_t kind);

/* True for what stands where the chip starts programs, and would not be started. */
bool words_would_not_start(const struct wry_planned *planned,
                           const struct wry_planned_image *image);

const char *words_layout(const struct wry_layout *layout);

/* "nothing", or a range and the bits. */
/* What the flash does not allow, "each erase takes 256 KiB, ..."; NULL when it allows all. Free
 * with g_free. */
char *words_limit(uint8_t limit, uint64_t erase_least);
char *words_protected(const struct wry_identity *identity);

/* "02:57:… (Turnstone T2, 4 MiB (32 Mbit) flash) on /dev/ttyUSB0 at 921600 baud" */
char *words_board(const struct wry_station *station);

/* "in 5.0 s", and that it is simulated time where it is. */
char *words_duration(const struct wry_station *station, double seconds);

/* "0x004000, 0x00E000 and 2 more places" of a plan. */
char *words_offsets(const struct wry_planned *planned);

/* "4 data lines at 40 MHz", and "4 MiB (32 Mbit)" or "any". */
char *words_read_mode(const struct wry_boot_header *header);
char *words_header_flash(const struct wry_boot_header *header);

/* How an image fits what it says of itself. */
const char *words_header_state(enum wry_header_state state);
const char *words_body_digest(bool fits);
const char *words_region_table(void);

/* "Pier gauges 3": a card with its version, if it has one; NULL without a card. Free with g_free.
 */
char *words_card(const char *card, const char *version);

#endif
