/* Image formats, held against objcopy. */
#include <glib.h>
#include <stdio.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "rig.h"
#include "sim/random.h"
#include "store/image/image_file.h"
#include "wrytograph/image.h"

enum {
    ROOM = 0x60000,
    FILES = 30, /* of each format, in each direction */
};

static uint8_t seen[ROOM], expected[ROOM];

static bool take(void *context, uint32_t address, const uint8_t *bytes, size_t n)
{
    size_t *count = context;

    CHECK(address + n <= ROOM);
    if (address + n <= ROOM)
        memcpy(seen + address, bytes, n);
    *count += n;
    return true;
}

/* Parses a text in pieces of a size; the error, WRY_IMAGE_OK for none. */
static enum wry_image_error parse(enum wry_image_format format, const char *text, size_t piece,
                                  size_t *count, uint32_t *line)
{
    struct wry_image_parser parser;
    struct wry_image_sink sink = {.context = count, .take = take};
    size_t n = strlen(text);

    *count = 0;
    memset(seen, 0xFF, sizeof seen);
    wry_image_parser_init(&parser, format, &sink);
    for (size_t at = 0; at < n; at += piece) {
        if (!wry_image_parser_take(&parser, (const uint8_t *)text + at,
                                   n - at < piece ? n - at : piece))
            break;
    }
    wry_image_parser_end(&parser);
    if (line)
        *line = parser.line;
    return parser.error;
}

static void formats_are_told_by_content(void)
{
    static const struct {
        const char *text;
        enum wry_image_format format;
    } cases[] = {
        {":10010000214601360121470136007EFE09D2190140\n", WRY_IMAGE_INTEL_HEX},
        {"\r\n:00000001FF\r\n", WRY_IMAGE_INTEL_HEX},
        {"S00600004844521B\n", WRY_IMAGE_S_RECORD},
        {"S5030003F9  ", WRY_IMAGE_S_RECORD},
        {":this is text, not records", WRY_IMAGE_RAW},
        {"SOS, this is text", WRY_IMAGE_RAW},
        {"S1", WRY_IMAGE_RAW},
        {"\x7f\x01\x02\x03 binary bytes", WRY_IMAGE_RAW},
    };

    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        check_context("case %zu", i);
        CHECK_EQUAL(cases[i].format,
                    wry_image_detect((const uint8_t *)cases[i].text, strlen(cases[i].text)));
    }
}

static void every_line_ending_and_piece_size_gives_the_same(void)
{
    static const char *const endings[] = {"\n", "\r\n", "\r"};
    size_t count;

    for (size_t e = 0; e < 3; e++) {
        g_autofree char *text =
            g_strdup_printf(":0300300002337A1E%s:020000040001F9%s%s:02000000ABCD86%s:00000001FF%s",
                            endings[e], endings[e], endings[e], endings[e], endings[e]);
        for (size_t piece = 1; piece < 50; piece += 3) {
            check_context("ending %zu piece %zu", e, piece);
            CHECK_EQUAL(WRY_IMAGE_OK, parse(WRY_IMAGE_INTEL_HEX, text, piece, &count, NULL));
            CHECK_EQUAL(5, count);
            CHECK_EQUAL(0x33, seen[0x31]);
            CHECK_EQUAL(0xCD, seen[0x10001]);
        }
    }
}

static void errors_name_line_and_cause(void)
{
    static const struct {
        enum wry_image_format format;
        const char *text;
        enum wry_image_error error;
        uint32_t line;
    } cases[] = {
        {WRY_IMAGE_INTEL_HEX, ":0300300002337A1E\n:0300300002337A1F\n", WRY_IMAGE_BAD_CHECKSUM, 2},
        {WRY_IMAGE_INTEL_HEX, ":0300300002337A1E\r\n:03003000023\r\n", WRY_IMAGE_BAD_LENGTH, 2},
        {WRY_IMAGE_INTEL_HEX, ":04003000023379\n", WRY_IMAGE_BAD_LENGTH, 1},
        {WRY_IMAGE_INTEL_HEX, "\n\n:00000006FA\n", WRY_IMAGE_BAD_TYPE, 3},
        {WRY_IMAGE_INTEL_HEX, ":03003X0002337A1E\n", WRY_IMAGE_BAD_CHARACTER, 1},
        {WRY_IMAGE_INTEL_HEX, "hello\n", WRY_IMAGE_BAD_CHARACTER, 1},
        {WRY_IMAGE_INTEL_HEX, ":0300300002337A1E\n", WRY_IMAGE_NO_END, 2},
        {WRY_IMAGE_INTEL_HEX, ":00000001FF\n:00000001FF\n", WRY_IMAGE_AFTER_END, 2},
        {WRY_IMAGE_INTEL_HEX, ":0100000400FB\n", WRY_IMAGE_BAD_LENGTH, 1},
        {WRY_IMAGE_S_RECORD, "S1130000285F245F2212226A000424290008237C2B\n", WRY_IMAGE_BAD_CHECKSUM,
         1},
        {WRY_IMAGE_S_RECORD, "S4030000FC\n", WRY_IMAGE_BAD_TYPE, 1},
        {WRY_IMAGE_S_RECORD, "S1050000ABCD82\nS5030002FA\n", WRY_IMAGE_BAD_COUNT, 2},
        {WRY_IMAGE_S_RECORD, "S1050000ABCD82\n", WRY_IMAGE_NO_END, 2},
    };
    size_t count;
    uint32_t line;

    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        check_context("case %zu", i);
        CHECK_EQUAL(cases[i].error, parse(cases[i].format, cases[i].text, 7, &count, &line));
        CHECK_EQUAL(cases[i].line, line);
    }
}

static void segment_addresses_wrap_within_64_kib(void)
{
    size_t count;

    /* Segment 0x1000, offset 0xFFFF, two bytes: 0x1FFFF and 0x10000. */
    CHECK_EQUAL(WRY_IMAGE_OK,
                parse(WRY_IMAGE_INTEL_HEX, ":020000021000EC\n:02FFFF00AABB9B\n:00000001FF\n", 100,
                      &count, NULL));
    CHECK_EQUAL(0xAA, seen[0x1FFFF]);
    CHECK_EQUAL(0xBB, seen[0x10000]);
    /* A linear address behind it ends that: its bytes go on. */
    CHECK_EQUAL(WRY_IMAGE_OK,
                parse(WRY_IMAGE_INTEL_HEX,
                      ":020000021000EC\n:020000040001F9\n:02FFFF00CCDD57\n:00000001FF\n", 100,
                      &count, NULL));
    CHECK_EQUAL(0xCC, seen[0x1FFFF]);
    CHECK_EQUAL(0xDD, seen[0x20000]);
}

static void arbitrary_text_is_parsed_or_refused(void)
{
    static const char letters[] = ":S0123456789ABCDEF\r\n \xff";
    char text[400];
    size_t count;
    unsigned refused = 0;

    for (uint64_t seed = 0; seed < 5000; seed++) {
        uint64_t random = seed;
        for (size_t i = 0; i < sizeof text - 1; i++)
            text[i] = letters[sim_random(&random) % (sizeof letters - 1)];
        text[sizeof text - 1] = '\0';
        text[0] = seed % 2 ? ':' : 'S';
        refused += parse(seed % 2 ? WRY_IMAGE_INTEL_HEX : WRY_IMAGE_S_RECORD, text, 1 + seed % 90,
                         &count, NULL) != WRY_IMAGE_OK;
    }
    CHECK(refused > 4900);
}

/* True when the image file holds exactly the bytes of a range. */
static bool holds(const struct image_file *image, const uint8_t *bytes, uint32_t start, size_t n)
{
    static uint8_t content[ROOM];
    const struct image_extent *e = &g_array_index(image->extents, struct image_extent, 0);

    return image->extents->len == 1 && e->address == start && e->length == n &&
           image_file_read(image, start, content, n) && memcmp(content, bytes, n) == 0;
}

static void what_objcopy_writes_is_read_as_it_was(void)
{
    for (uint64_t seed = 0; seed < FILES; seed++) {
        uint64_t random = seed;
        size_t n = 1 + sim_random(&random) % 0x20000;
        uint32_t start = (uint32_t)(sim_random(&random) % 0x30000);
        g_autofree char *address = g_strdup_printf("--change-addresses=0x%x", (unsigned)start);
        const char *format = seed % 2 ? "ihex" : "srec";
        GError *error = NULL;
        rig_random(expected, n, seed);
        scratch_write("in.bin", expected, n);
        CHECK_EQUAL(0, run_program("objcopy", "-I", "binary", "-O", format, address,
                                   scratch_file("in.bin"), scratch_file("out.txt"), NULL)
                           .code);
        struct image_file *image = image_file_open(scratch_file("out.txt"), NULL, &error);
        check_context("seed %llu: %s", (unsigned long long)seed, error ? error->message : format);
        CHECK(image != NULL);
        if (!image)
            continue;
        CHECK_EQUAL(seed % 2 ? WRY_IMAGE_INTEL_HEX : WRY_IMAGE_S_RECORD, image->format);
        CHECK(holds(image, expected, start, n));
        image_file_free(image);
    }
}

static void add_record(GString *text, bool hex, uint32_t address, const uint8_t *bytes, size_t n)
{
    uint8_t record[64];
    size_t length = 0;
    uint8_t sum = 0;

    if (hex) {
        record[length++] = (uint8_t)n;
        record[length++] = (uint8_t)(address >> 8);
        record[length++] = (uint8_t)address;
        record[length++] = 0;
    } else {
        record[length++] = (uint8_t)(n + 4);
        record[length++] = (uint8_t)(address >> 16);
        record[length++] = (uint8_t)(address >> 8);
        record[length++] = (uint8_t)address;
    }
    memcpy(record + length, bytes, n);
    length += n;
    for (size_t i = 0; i < length; i++)
        sum = (uint8_t)(sum + record[i]);
    record[length++] = hex ? (uint8_t)-sum : (uint8_t)~sum;
    g_string_append(text, hex ? ":" : "S2");
    for (size_t i = 0; i < length; i++)
        g_string_append_printf(text, "%02X", record[i]);
    g_string_append(text, "\n");
}

/* Records with gaps, each in the upper half of HEX's 64 KiB banks set by type 4 or type 2. */
static GString *make_records(bool hex, uint64_t *random, size_t *end)
{
    GString *text = g_string_new(NULL);
    uint32_t at = 0, bank = 0;

    memset(expected, 0, sizeof expected);
    for (unsigned i = 0; i < 60; i++) {
        size_t n = 1 + sim_random(random) % 40;
        at += (uint32_t)(sim_random(random) % 3 == 0 ? sim_random(random) % 5000 : 0);
        if (at / 0x10000 != (at + n - 1) / 0x10000)
            at = (at & ~0xFFFFu) + 0x10000;
        rig_random(expected + at, n, *random);
        if (hex && at / 0x10000 != bank) {
            bank = at / 0x10000;
            if (sim_random(random) % 2)
                g_string_append_printf(text, ":02000004%04X%02X\n", (unsigned)bank,
                                       (unsigned)(0x100 - 6 - bank) & 0xFF);
            else
                g_string_append_printf(text, ":02000002%04X%02X\n", (unsigned)bank << 12,
                                       (unsigned)(0x100 - 4 - (bank << 4)) & 0xFF);
        }
        add_record(text, hex, hex ? at & 0xFFFF : at, expected + at, n);
        at += (uint32_t)n;
    }
    g_string_append(text, hex ? ":00000001FF\n" : "S804000000FB\n");
    *end = at;
    return text;
}

static void what_we_read_is_what_objcopy_reads(void)
{
    for (uint64_t seed = 0; seed < FILES; seed++) {
        uint64_t random = seed + 1000;
        size_t end, n = 0;
        bool hex = seed % 2;
        GString *text = make_records(hex, &random, &end);
        scratch_write("records", text->str, text->len);
        g_string_free(text, TRUE);
        CHECK_EQUAL(0, run_program("objcopy", "-I", hex ? "ihex" : "srec", "-O", "binary",
                                   "--gap-fill=0", scratch_file("records"),
                                   scratch_file("theirs.bin"), NULL)
                           .code);
        g_autofree uint8_t *theirs = scratch_read("theirs.bin", &n);
        struct image_file *image = image_file_open(scratch_file("records"), NULL, NULL);
        check_context("seed %llu", (unsigned long long)seed);
        CHECK(image != NULL && theirs != NULL);
        if (!image || !theirs)
            continue;
        uint32_t first = g_array_index(image->extents, struct image_extent, 0).address;
        CHECK_EQUAL(end - first, n);
        memset(seen, 0, sizeof seen);
        for (guint i = 0; i < image->extents->len; i++) {
            const struct image_extent *e = &g_array_index(image->extents, struct image_extent, i);
            CHECK(image_file_read(image, e->address, seen + e->address, e->length));
        }
        CHECK(n <= ROOM && memcmp(seen + first, theirs, n) == 0);
        image_file_free(image);
    }
}

static void content_for_one_address_twice_is_refused(void)
{
    static const char text[] = ":0300300002337A1E\n:0100320000CD\n:00000001FF\n";
    GError *error = NULL;

    scratch_write("twice.hex", text, sizeof text - 1);
    CHECK(image_file_open(scratch_file("twice.hex"), NULL, &error) == NULL);
    CHECK(error && strstr(error->message, "twice.hex:2: content for an address that had some"));
    g_clear_error(&error);
}

static void a_file_that_changes_after_it_was_opened_is_noticed(void)
{
    GError *error = NULL;

    scratch_write("changing.bin", "one content", 11);
    struct image_file *image = image_file_open(scratch_file("changing.bin"), NULL, &error);
    CHECK(image && !image_file_changed(image));
    FILE *file = fopen(scratch_file("changing.bin"), "r+b");
    CHECK(file && fputc('O', file) == 'O' && fclose(file) == 0);
    CHECK(image && image_file_changed(image));
    image_file_free(image);
    scratch_write("records.hex", ":0300300002337A1E\n:00000001FF\n", 30);
    image = image_file_open(scratch_file("records.hex"), NULL, &error);
    scratch_write("records.hex", "gone", 4);
    CHECK(image && !image_file_changed(image));
    image_file_free(image);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(formats_are_told_by_content),
        FACT(every_line_ending_and_piece_size_gives_the_same),
        FACT(errors_name_line_and_cause),
        FACT(segment_addresses_wrap_within_64_kib),
        FACT(arbitrary_text_is_parsed_or_refused),
        FACT(what_objcopy_writes_is_read_as_it_was),
        FACT(what_we_read_is_what_objcopy_reads),
        FACT(content_for_one_address_twice_is_refused),
        FACT(a_file_that_changes_after_it_was_opened_is_noticed),
    };
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
