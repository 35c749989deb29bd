/*
 * Results that are cleared when they go out of scope, like pointers with g_autoptr:
 *
 *     wry_auto(write_result) written = {0};
 *     outcome = wry_station_write(station, &options, &written);
 *     // wry_write_result_clear is called at the closing brace
 *
 * It works for every struct wry_X with a wry_X_clear, with compilers that have GCC's cleanup
 * attribute.
 */
#ifndef WRYTOGRAPH_HOST_AUTO_H
#define WRYTOGRAPH_HOST_AUTO_H

#define wry_auto(name) __attribute__((cleanup(wry_##name##_clear))) struct wry_##name

#endif
