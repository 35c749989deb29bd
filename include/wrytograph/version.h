/*
 * The version of the library: that of the headers at compile time, and that of what is linked.
 *
 *     if (strcmp(wry_version(), WRY_VERSION_TEXT) != 0)
 *         puts("headers and library are of different versions");
 */
#ifndef WRYTOGRAPH_VERSION_H
#define WRYTOGRAPH_VERSION_H

#define WRY_VERSION_MAJOR 0
#define WRY_VERSION_MINOR 2
#define WRY_VERSION_PATCH 0
#define WRY_VERSION_TEXT "0.2.0"

#ifdef __cplusplus
extern "C" {
#endif

/* The version that is linked, as "0.2.0". */
const char *wry_version(void);

#ifdef __cplusplus
}
#endif

#endif
