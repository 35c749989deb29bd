/*
 * The image of a module: firmware of a second chip, behind the board's own, which takes it over the
 * console (docs/co-processor.md). It is not for the board's flash.
 *
 * A head of 32 bytes, little-endian, and the body:
 *
 *     offset  bytes  member
 *          0      4  "WRYM"
 *          4      1  version of this format: 1
 *          5      1  kind of module: 1 is the echo sounder
 *          6      2  0
 *          8      4  length of the body
 *         12      4  CRC-32 of the body (IEEE 802.3)
 *         16     16  name and version, such as "echo-sounder 1.1", padded with zeros
 *
 *     struct wry_module_image image;
 *
 *     if (wry_module_image_get(&image, head))
 *         good = wry_crc32(0, body, image.body_length) == image.body_crc;
 */
#ifndef WRYTOGRAPH_MODULE_IMAGE_H
#define WRYTOGRAPH_MODULE_IMAGE_H

#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_MODULE_IMAGE_HEAD 32u
#define WRY_MODULE_VERSION_SIZE 17u /* with a NUL */

enum wry_module_kind {
    WRY_MODULE_ECHO_SOUNDER = 1,
};

struct wry_module_image {
    uint8_t kind; /* enum wry_module_kind, or one that is not known here */
    uint32_t body_length, body_crc;
    char version[WRY_MODULE_VERSION_SIZE];
};

/* Reads a head of WRY_MODULE_IMAGE_HEAD bytes. False if it is none, or of another format's version.
 * The body is not looked at. */
bool wry_module_image_get(struct wry_module_image *image, const uint8_t *head);

/* Writes a head of WRY_MODULE_IMAGE_HEAD bytes. */
void wry_module_image_put(uint8_t *head, const struct wry_module_image *image);

#ifdef __cplusplus
}
#endif

#endif
