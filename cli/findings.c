/* What is wrong with a link. */
#include "findings.h"

#include <string.h>

static const char check_power[] = "Power: is the board's 3.3 V there, measured at its pin?";
static const char check_ground[] = "Ground: is GND of the adapter joined to GND of the board?";
static const char check_crossed[] =
    "TX and RX: the adapter's TX goes to the board's RX, and its RX to the board's TX.";
static const char check_strap[] =
    "Boot strap: is it held low until after reset is released? (--wiring, or --by-hand)";
static const char check_speed[] =
    "Speed: does the board use another one? (--call-speed; for listen, --speed)";
static const char check_cable[] =
    "Cable: shorter, or another one; no long wires beside the supply.";
static const char check_supply[] =
    "Supply: use one that gives 500 mA, not the adapter's 3.3 V pin; short, thick wires.";

enum {
    RESTART_TEXT = 16, /* bytes of boot text in the middle of the work */
};

struct entry {
    const char *name, *cause;
    const char *checks[7];
};

static const struct entry entries[] = {
    [FINDING_GOOD] = {"good", "Nothing is wrong with this link.", {NULL}},
    [FINDING_SILENT] = {"silent",
                        "Nothing comes from the board: most likely TX and RX are not crossed.",
                        {check_crossed, check_power, check_ground, check_strap, check_cable}},
    [FINDING_LOW] = {"unpowered",
                     "The board holds the line low: most likely it has no power.",
                     {check_power, check_ground, check_crossed}},
    [FINDING_ECHO] = {"echo",
                      "Our own calls come back: TX and RX are joined.",
                      {check_crossed, check_cable}},
    [FINDING_STRAP] = {"strap",
                       "The board runs its program: the boot strap was not held through reset.",
                       {check_strap, check_crossed, check_speed}},
    [FINDING_OTHER_SPEED] = {"other-speed",
                             "The board speaks at another speed.",
                             {check_speed, check_strap}},
    [FINDING_NO_GROUND] = {"no-ground",
                           "Bytes come from nowhere, even while the board is in reset: most likely "
                           "the ground is missing.",
                           {check_ground, check_cable, check_crossed, check_power}},
    [FINDING_GARBAGE] = {"garbage",
                         "What comes makes no sense at any usual speed.",
                         {check_ground, check_speed, check_cable, check_power}},
    [FINDING_NOISE] = {"noise",
                       "The board answers, but frames are damaged on the line.",
                       {check_cable, check_ground, check_speed}},
    [FINDING_SLOW] = {"slow-cable",
                      "The link works, but does not hold the faster speeds.",
                      {check_cable, check_ground}},
    [FINDING_BROWN_OUT] = {"brown-out",
                           "The board restarts when it works hard: its supply gives way.",
                           {check_supply, check_power, check_ground}},
    [FINDING_FADES] = {"fades",
                       "The board answers at first and falls silent when it works hard.",
                       {check_supply, check_cable, check_ground}},
};

const char *finding_name(enum finding finding)
{
    return entries[finding].name;
}

const char *finding_cause(enum finding finding)
{
    return entries[finding].cause;
}

const char *const *finding_checks(enum finding finding)
{
    return entries[finding].checks;
}

/* A running program prints whole text and no frames; a noisy line has holes in both. */
static bool is_spoiled(const struct wry_session_stats *stats)
{
    return stats->frames_bad > 0 ||
           stats->bytes_printable * UINT64_C(50) < stats->bytes_outside * UINT64_C(49);
}

enum finding finding_judge(const struct wry_session_stats *stats)
{
    uint64_t outside = stats->bytes_outside;

    if (stats->own_frames > 0)
        return FINDING_ECHO;
    if (stats->bytes_received == 0)
        return FINDING_SILENT;
    if (stats->bytes_zero * UINT64_C(10) >= stats->bytes_received * 9)
        return FINDING_LOW;
    if (outside > 0 && stats->bytes_printable * UINT64_C(10) >= outside * 8 &&
        outside * 2 >= stats->bytes_received)
        return is_spoiled(stats) ? FINDING_NOISE : FINDING_STRAP;
    return FINDING_GARBAGE;
}

enum finding finding_of_loss(const struct app *app)
{
    const struct wry_session_stats *stats = wry_session_stats(&app->session);
    uint32_t text = stats->bytes_printable - app->heard_before;

    if (text >= RESTART_TEXT)
        return FINDING_BROWN_OUT;
    return stats->frames_bad > 0 && stats->frames_bad * 10 > stats->frames_resent ? FINDING_NOISE
                                                                                  : FINDING_GOOD;
}

/* The last line that was heard, with what does not print left out. */
static char *last_line(const struct app *app)
{
    uint8_t bytes[WRY_SESSION_HEARD];
    size_t n = wry_session_heard(&app->session, bytes);
    GString *text = g_string_new(NULL);

    for (size_t i = 0; i < n; i++) {
        if (bytes[i] == '\n' && i + 1 < n)
            g_string_truncate(text, 0);
        else if (bytes[i] >= 0x20 && bytes[i] < 0x7F)
            g_string_append_c(text, (char)bytes[i]);
    }
    return g_string_free(text, FALSE);
}

char *finding_evidence(const struct app *app)
{
    const struct wry_session_stats *stats = wry_session_stats(&app->session);
    g_autofree char *line = last_line(app);

    switch (finding_judge(stats)) {
    case FINDING_ECHO:
        return g_strdup_printf("our own frames, %u times", stats->own_frames);
    case FINDING_SILENT:
        return g_strdup("nothing");
    case FINDING_LOW:
        return g_strdup_printf("%u zeros and nothing else", stats->bytes_zero);
    case FINDING_STRAP:
        return g_strdup_printf("readable text, last \"%s\"", line);
    default:
        return g_strdup_printf("%" G_GUINT64_FORMAT " bytes that make no sense, %u frames damaged",
                               stats->bytes_received, stats->frames_bad);
    }
}
