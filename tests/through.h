/*
 * A port that passes everything on to another one: the start of one that spoils some of it.
 *
 *     struct failing { const struct wry_port *inner; ... struct wry_port port; };
 *     f.port = through_port(&f);
 *     f.port.read = failing_read;
 */
#ifndef WRY_TESTS_THROUGH_H
#define WRY_TESTS_THROUGH_H

#include "wrytograph/port.h"

/* context: a struct whose first member is a const struct wry_port *, the port behind. */
struct wry_port through_port(void *context);

#endif
