/* Secrets: none gets past the mask, however it is split, spelled or surrounded. */
#include <glib.h>
#include <string.h>

#include "harness.h"
#include "jobs/station/secrets.h"
#include "sim/random.h"

static GPtrArray *secrets_of(const char *const *texts, size_t count)
{
    GPtrArray *secrets = NULL;

    for (size_t i = 0; i < count; i++)
        secrets_add(&secrets, texts[i]);
    return secrets;
}

/* In pieces of these lengths, again and again. */
static char *mask_in_pieces(const GPtrArray *secrets, const char *text, size_t n, size_t piece)
{
    g_autoptr(GString) held = g_string_new(NULL);
    GString *masked = g_string_new(NULL);

    for (size_t at = 0; at < n; at += piece)
        secrets_put(secrets, held, text + at, MIN(piece, n - at), false, masked);
    secrets_put(secrets, held, NULL, 0, true, masked);
    CHECK_EQUAL(0, held->len);
    return g_string_free(masked, FALSE);
}

#define MASKED(expected, text, ...)                                                                \
    check_masked(expected, text, (const char *const[]){__VA_ARGS__},                               \
                 sizeof((const char *const[]){__VA_ARGS__}) / sizeof(char *), __LINE__)

static void check_masked(const char *expected, const char *text, const char *const *texts,
                         size_t count, int line)
{
    GPtrArray *secrets = secrets_of(texts, count);

    for (size_t piece = 1; piece <= strlen(text) + 1; piece++) {
        g_autofree char *masked = mask_in_pieces(secrets, text, strlen(text), piece);
        check_true(strcmp(masked, expected) == 0, __FILE__, line, masked);
    }
    g_ptr_array_unref(secrets);
}

static void the_longest_of_several_is_masked(void)
{
    MASKED("key ******** set", "key moorings-old set", "moorings", "moorings-old");
    MASKED("key ******** set", "key moorings-old set", "moorings-old", "moorings");
    MASKED("key ********-new set", "key moorings-new set", "moorings", "moorings-old");
}

static void one_that_is_split_by_line_ends_is_found(void)
{
    MASKED("key ********\n set", "key moor\r\nings set", "moorings");
    MASKED("key ********\nset", "key old\nmoorings\nset", "old\nmoorings");
    MASKED("key ********\n set", "key o\nl\nd set", "old");
}

static void letters_beyond_ascii_count(void)
{
    MASKED("join ********.",
           "join h\xC3\xB8"
           "fn\xC3\xA4.",
           "h\xC3\xB8"
           "fn\xC3\xA4");
}

static void one_character_is_a_secret_too(void)
{
    MASKED("********:\n", "7:\n", "7");
    MASKED("****************", "77", "7");
}

static void a_mask_never_makes_up_a_secret(void)
{
    MASKED("!!!!!!!!", "********", "********");
    MASKED("!!!!!!!!a", "*aa", "*a");
    MASKED("\"\"\"\"\"\"\"\"x", "*!x", "*!");
}

static void the_end_of_a_secret_is_none_of_the_beginning(void)
{
    GPtrArray *secrets = secrets_of((const char *const[]){"moorings"}, 1);
    g_autoptr(GString) cut = secrets_apply_to_bytes(secrets, "orings, ready", 13, true);
    g_autoptr(GString) whole = secrets_apply_to_bytes(secrets, "orings, ready", 13, false);

    CHECK(strcmp(cut->str, ", ready") == 0);
    CHECK(strcmp(whole->str, "orings, ready") == 0);
    g_ptr_array_unref(secrets);
}

static void what_is_no_secret_comes_through_whole(void)
{
    MASKED("moor, mooring\n", "moor, mooring\n", "moorings");
    g_autofree char *all = mask_in_pieces(NULL, "a\0b", 3, 1);
    CHECK_EQUAL('a', all[0]);
    CHECK(memcmp(all, "a\0b", 3) == 0);
}

/* Of few letters, so that secrets overlap one another and the text. */
static char *random_text(uint64_t *random, size_t most)
{
    static const char letters[] = "ab*\n\xC3";
    size_t n = 1 + sim_random(random) % most;
    char *text = g_malloc0(n + 1);

    for (size_t i = 0; i < n; i++)
        text[i] = letters[sim_random(random) % (sizeof letters - 1)];
    return text;
}

static void no_secret_is_left_in_any_of_many_texts(void)
{
    for (uint64_t seed = 1; seed <= 3000; seed++) {
        uint64_t random = seed;
        GPtrArray *secrets = NULL;
        for (unsigned i = 0; i < 1 + seed % 4; i++) {
            g_autofree char *secret = random_text(&random, 6);
            secrets_add(&secrets, secret);
        }
        g_autofree char *text = random_text(&random, 80);
        size_t piece = 1 + sim_random(&random) % 7;
        g_autofree char *masked = mask_in_pieces(secrets, text, strlen(text), piece);
        check_context("seed %u", (unsigned)seed);
        for (guint i = 0; i < secrets->len; i++) {
            const char *secret = g_ptr_array_index(secrets, i);
            /* A mask that ends a line adds a line end, which is no secret's letter. */
            CHECK(strchr(secret, '\n') || !strstr(masked, secret));
        }
        g_autofree char *whole = mask_in_pieces(secrets, text, strlen(text), strlen(text));
        CHECK(strcmp(whole, masked) == 0);
        g_ptr_array_unref(secrets);
    }
    check_context(NULL);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(the_longest_of_several_is_masked),
        FACT(one_that_is_split_by_line_ends_is_found),
        FACT(letters_beyond_ascii_count),
        FACT(one_character_is_a_secret_too),
        FACT(a_mask_never_makes_up_a_secret),
        FACT(the_end_of_a_secret_is_none_of_the_beginning),
        FACT(what_is_no_secret_comes_through_whole),
        FACT(no_secret_is_left_in_any_of_many_texts),
    };

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
