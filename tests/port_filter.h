/*
 * A port that passes everything on to another one: the start of one that spoils some of it.
 *
 *     struct failing { const struct wry_port *inner; ... struct wry_port port; };
 *     f.port = port_filter(&f);
 *     f.port.read = failing_read;
 */
#ifndef WRY_TESTS_PORT_FILTER_H
#define WRY_TESTS_PORT_FILTER_H

#include "wrytograph/port.h"

/* context: a struct whose first member is a const struct wry_port *, the port behind. */
struct wry_port port_filter(void *context);

#endif
