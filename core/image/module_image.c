/* The head of a module's image. */
#include "wrytograph/module_image.h"
#include "bytes/fields.h"

#include "bytes/memory.h"

static const uint8_t magic[4] = {'W', 'R', 'Y', 'M'};

enum {
    VERSION = 1,
    AT_VERSION = 4,
    AT_KIND = 5,
    AT_LENGTH = 8,
    AT_CRC = 12,
    AT_TEXT = 16,
    TEXT_SIZE = WRY_MODULE_VERSION_SIZE - 1,
};

bool wry_module_image_get(struct wry_module_image *image, const uint8_t *head)
{
    if (memcmp(head, magic, sizeof magic) != 0 || head[AT_VERSION] != VERSION ||
        !bytes_are_text(head + AT_TEXT, TEXT_SIZE))
        return false;
    image->kind = head[AT_KIND];
    image->body_length = bytes_get32(head + AT_LENGTH);
    image->body_crc = bytes_get32(head + AT_CRC);
    memcpy(image->version, head + AT_TEXT, TEXT_SIZE);
    image->version[TEXT_SIZE] = '\0';
    return true;
}

void wry_module_image_put(uint8_t *head, const struct wry_module_image *image)
{
    memset(head, 0, WRY_MODULE_IMAGE_HEAD);
    memcpy(head, magic, sizeof magic);
    head[AT_VERSION] = VERSION;
    head[AT_KIND] = image->kind;
    bytes_put32(head + AT_LENGTH, image->body_length);
    bytes_put32(head + AT_CRC, image->body_crc);
    for (unsigned i = 0; i < TEXT_SIZE && image->version[i] != '\0'; i++)
        head[AT_TEXT + i] = (uint8_t)image->version[i];
}
