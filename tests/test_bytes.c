/* Byte order, CRC-32 and SHA-256. */
#include <string.h>

#include "core/bytes/fields.h"
#include "harness.h"
#include "rig.h"
#include "wrytograph/bytes.h"
#include "wrytograph/status.h"
#include "wrytograph/version.h"

static bool digest_is(const uint8_t digest[WRY_SHA256_SIZE], const char *hex)
{
    static const char digits[] = "0123456789abcdef";

    for (size_t i = 0; i < WRY_SHA256_SIZE; i++) {
        if (hex[2 * i] != digits[digest[i] >> 4] || hex[2 * i + 1] != digits[digest[i] & 15])
            return false;
    }
    return true;
}

static void sha256(const void *bytes, size_t n, uint8_t digest[WRY_SHA256_SIZE])
{
    struct wry_sha256 sha;

    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, bytes, n);
    wry_sha256_end(&sha, digest);
}

static void fields_are_little_endian_at_any_alignment(void)
{
    uint8_t room[8] = {0};

    bytes_put32(room + 1, 0x12345678);
    CHECK_EQUAL(0x78, room[1]);
    CHECK_EQUAL(0x12, room[4]);
    CHECK_EQUAL(0x12345678, bytes_get32(room + 1));
    bytes_put16(room + 5, 0xFEDC);
    CHECK_EQUAL(0xDC, room[5]);
    CHECK_EQUAL(0xFEDC, bytes_get16(room + 5));
    CHECK_EQUAL(0, room[7]);
}

static void blank_means_every_byte_is_ff(void)
{
    uint8_t bytes[5] = {0xFF, 0xFF, 0xFF, 0xFF, 0xFE};

    CHECK(wry_bytes_blank(bytes, 0));
    CHECK(wry_bytes_blank(bytes, 4));
    CHECK(!wry_bytes_blank(bytes, 5));
}

static void crc32_gives_the_check_value_of_its_standard(void)
{
    const uint8_t *text = (const uint8_t *)"123456789";

    CHECK_EQUAL(0xCBF43926, wry_crc32(0, text, 9));
    CHECK_EQUAL(0, wry_crc32(0, text, 0));
    CHECK_EQUAL(0xCBF43926, wry_crc32(wry_crc32(0, text, 4), text + 4, 5));
}

static void sha256_gives_the_examples_of_fips_180_4(void)
{
    uint8_t digest[WRY_SHA256_SIZE];

    sha256("", 0, digest);
    CHECK(digest_is(digest, "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"));
    sha256("abc", 3, digest);
    CHECK(digest_is(digest, "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"));
    sha256("abcdbcdecdefdefgefghfghighijhijkijkljklmklmnlmnomnopnopq", 56, digest);
    CHECK(digest_is(digest, "248d6a61d20638b8e5c026930c3e6039a33ce45964ff2167f6ecedd419db06c1"));
}

static void sha256_is_the_same_in_any_pieces(void)
{
    uint8_t bytes[300], whole[WRY_SHA256_SIZE], pieces[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    rig_random(bytes, sizeof bytes, 5);
    for (size_t n = 0; n <= sizeof bytes; n++) {
        for (size_t step = 1; step < 140; step += 23) {
            sha256(bytes, n, whole);
            wry_sha256_begin(&sha);
            for (size_t at = 0; at < n; at += step)
                wry_sha256_add(&sha, bytes + at, n - at < step ? n - at : step);
            wry_sha256_end(&sha, pieces);
            check_context("n %zu step %zu", n, step);
            CHECK(memcmp(whole, pieces, sizeof whole) == 0);
        }
    }
}

struct blocks_seen {
    size_t calls, blocks;
};

static void count_blocks(void *context, uint32_t state[8], const uint8_t *blocks, size_t count)
{
    struct blocks_seen *seen = context;
    struct wry_sha256 sha = {.length = 0};

    memcpy(sha.state, state, sizeof sha.state);
    wry_sha256_add(&sha, blocks, count * 64);
    memcpy(state, sha.state, sizeof sha.state);
    seen->calls++;
    seen->blocks += count;
}

static void sha256_by_another_function_is_the_same_in_any_pieces(void)
{
    uint8_t bytes[300], whole[WRY_SHA256_SIZE], pieces[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    rig_random(bytes, sizeof bytes, 6);
    for (size_t step = 1; step <= sizeof bytes; step++) {
        struct blocks_seen seen = {0};
        sha256(bytes, sizeof bytes, whole);
        wry_sha256_begin(&sha);
        for (size_t at = 0; at < sizeof bytes; at += step)
            wry_sha256_add_by(&sha, bytes + at, sizeof bytes - at < step ? sizeof bytes - at : step,
                              count_blocks, &seen);
        wry_sha256_end(&sha, pieces);
        check_context("step %zu", step);
        CHECK(memcmp(whole, pieces, sizeof whole) == 0);
        CHECK_EQUAL(sizeof bytes / 64, seen.blocks);
        CHECK(seen.calls <= seen.blocks);
    }
}

static void sha256_context_can_be_copied_to_fork_a_computation(void)
{
    struct wry_sha256 one, other;
    uint8_t digest[WRY_SHA256_SIZE];

    wry_sha256_begin(&one);
    wry_sha256_add(&one, (const uint8_t *)"a", 1);
    other = one;
    wry_sha256_add(&other, (const uint8_t *)"xyz", 3);
    wry_sha256_add(&one, (const uint8_t *)"bc", 2);
    wry_sha256_end(&one, digest);
    CHECK(digest_is(digest, "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"));
}

static void every_status_has_words_of_its_own(void)
{
    for (int a = WRY_OK; a <= WRY_STOPPED; a++) {
        CHECK(wry_status_text((enum wry_status)a)[0] != '\0');
        for (int b = WRY_OK; b < a; b++)
            CHECK(strcmp(wry_status_text((enum wry_status)a),
                         wry_status_text((enum wry_status)b)) != 0);
    }
    CHECK(strcmp(wry_status_text((enum wry_status)999), "an unknown status") == 0);
    CHECK(strcmp(wry_version(), WRY_VERSION_TEXT) == 0);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(fields_are_little_endian_at_any_alignment),
        FACT(blank_means_every_byte_is_ff),
        FACT(crc32_gives_the_check_value_of_its_standard),
        FACT(sha256_gives_the_examples_of_fips_180_4),
        FACT(sha256_is_the_same_in_any_pieces),
        FACT(sha256_by_another_function_is_the_same_in_any_pieces),
        FACT(sha256_context_can_be_copied_to_fork_a_computation),
        FACT(every_status_has_words_of_its_own),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
