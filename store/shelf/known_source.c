/* Plain images and archives as known content. */
#include "store/shelf/known_source.h"

#include <stdio.h>

#include "store/archive/archive.h"

struct known_source {
    char *name;
    FILE *plain;             /* one of these two is used */
    struct archive *archive; /* its ranges were verified when it was opened */
};

struct known_source *known_source_open(const char *path, enum known_kind kind)
{
    struct known_source *source = g_new0(struct known_source, 1);

    source->name = g_path_get_basename(path);
    /* Opening a pipe would wait. */
    bool regular = g_file_test(path, G_FILE_TEST_IS_REGULAR);
    if (regular && kind == KNOWN_PLAIN)
        source->plain = fopen(path, "rb");
    else if (regular)
        source->archive = archive_open(path, NULL);
    if (source->plain || source->archive)
        return source;
    known_source_close(source);
    return NULL;
}

void known_source_close(struct known_source *source)
{
    if (!source)
        return;
    if (source->plain)
        fclose(source->plain);
    archive_close(source->archive);
    g_free(source->name);
    g_free(source);
}

bool known_source_read(const struct known_source *source, uint32_t at, uint8_t *to, size_t n)
{
    if (source->plain)
        return fseeko(source->plain, (off_t)at, SEEK_SET) == 0 &&
               fread(to, 1, n, source->plain) == n;
    for (guint i = 0; i < source->archive->ranges->len; i++) {
        const struct archive_range *range =
            &g_array_index(source->archive->ranges, struct archive_range, i);
        if (at >= range->offset && at - range->offset < range->length &&
            n <= range->length - (at - range->offset))
            return archive_range_read(range, at - range->offset, to, n);
    }
    return false;
}

const char *known_source_name(const struct known_source *source)
{
    return source->name;
}
