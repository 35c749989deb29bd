/*
 * Results that are cleared when their scope ends, as g_autoptr does it for pointers:
 *
 *     wry_auto(write_result) written = {0};
 *     outcome = wry_station_write(station, &options, &written);
 *     // no wry_write_result_clear: it is called at the closing brace
 *
 * For every struct wry_X that has a wry_X_clear. Needs the cleanup attribute of GCC and clang.
 */
#ifndef WRYTOGRAPH_HOST_AUTO_H
#define WRYTOGRAPH_HOST_AUTO_H

#define wry_auto(name) __attribute__((cleanup(wry_##name##_clear))) struct wry_##name

#endif
