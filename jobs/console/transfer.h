/* A file that crosses the console: XMODEM over the line that is listened to. */
#pragma once

#include "jobs/console/console_line.h"
#include "wrytograph-host/jobs.h"

/*
 * Sends or receives the file of a transfer. What the other side prints meanwhile is heard as usual.
 * A status other than WRY_OK is the link's. *problem: why it failed otherwise, or NULL. After a
 * request to stop the transfer is cancelled on both sides, and there is no problem.
 */
enum wry_status console_transfer(struct console_line *line,
                                 const struct wry_console_transfer *transfer,
                                 struct wry_problem **problem);
