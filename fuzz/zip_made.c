/* ZIP files that are made of input. */
#include "zip_made.h"

#include <stdio.h>
#include <string.h>
#include <zip.h>

#include "door.h"

enum {
    MEMBERS_MOST = 8,
    NAME_ROOM = 256,
};

static void add_member(zip_t *zip, struct door_input *input)
{
    char name[NAME_ROOM];
    size_t length = door_byte(input), k = 0;

    for (; k < length && input->at < input->n; k++)
        name[k] = (char)door_byte(input);
    name[k] = '\0';
    size_t size = door_byte(input), left;
    size |= (size_t)door_byte(input) << 8;
    left = input->n - input->at;
    size = size < left ? size : left;
    zip_source_t *source = zip_source_buffer(zip, input->bytes + input->at, size, 0);
    input->at += size;
    if (source && zip_file_add(zip, name, source, 0) < 0)
        zip_source_free(source);
}

const char *zip_made(const char *name, const uint8_t *bytes, size_t n)
{
    static char path[160];
    struct door_input input = {.bytes = bytes, .n = n};
    int code = 0;

    if (n >= 2 && memcmp(bytes, "PK", 2) == 0)
        return door_file(name, bytes, n);
    snprintf(path, sizeof path, "%s/%s", door_folder(), name);
    zip_t *zip = zip_open(path, ZIP_CREATE | ZIP_TRUNCATE, &code);
    MUST(zip != NULL);
    for (unsigned i = 0; i < MEMBERS_MOST && input.at < input.n; i++)
        add_member(zip, &input);
    if (zip_close(zip) != 0)
        zip_discard(zip);
    return path;
}
