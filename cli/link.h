/* From a link address to a board that answers. */
#ifndef WRY_CLI_LINK_H
#define WRY_CLI_LINK_H

#include "app.h"

/* Opens the link and no more. EXIT_DONE or the code of app_fail. */
int link_open(struct app *app);

/*
 * Opens the link, gets the board into loading mode and checks --expect-chip and --expect-flash.
 * Returns EXIT_DONE, or the code of app_fail.
 */
int link_connect(struct app *app);

/* A token for a session: the same at every run on the bench, where runs are to be the same. */
uint32_t link_token(const struct app *app);

/* The common options as a session's configuration. EXIT_DONE or the code of app_fail. */
int link_config(struct app *app, struct wry_session_config *config);

/* On a pipe whose far end has a fixed speed, that is the only one. */
void link_fix_speed(const struct app *app, struct wry_session_config *config);

/* Calls the board on the open link, with the live line of a call by hand. */
enum wry_status link_call(struct app *app, const struct wry_session_config *config);

/* The chip's description; NULL when the board reports a code that is not known. */
const struct wry_chip *link_chip(const struct app *app);

/* "02:57:… (Turnstone T2, 4 MiB (32 Mbit) flash)"; free with g_free. */
char *link_describe(const struct app *app);

/* Seconds on the port's clock since link_connect. */
double link_seconds(const struct app *app);

void link_close(struct app *app);

#endif
