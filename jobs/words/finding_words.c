/* Findings in words. */
#include "wrytograph-host/words.h"

static const char check_power[] = "Power: is the board's 3.3 V there, measured at its pin?";
static const char check_ground[] = "Ground: is GND of the adapter connected to GND of the board?";
static const char check_crossed[] =
    "TX and RX: the adapter's TX goes to the board's RX, and its RX to the board's TX.";
static const char check_joined[] = "Short circuit: look for a solder bridge or a wire that joins "
                                   "TX and RX; is the board connected?";
static const char check_tx[] =
    "TX wire: does the adapter's TX reach the board's RX, and no other pin?";
static const char check_rx[] = "RX wire: does the board's TX reach the adapter's RX?";
static const char check_strap[] =
    "Boot strap: is it held low until after reset is released? (--wiring, or --by-hand)";
static const char check_buttons[] =
    "Buttons: add --by-hand, and press the board's boot and reset buttons when it says so.";
static const char check_pressed[] =
    "Buttons: hold boot, tap reset, then release boot. Is boot held until after the reset?";
static const char check_strap_held[] =
    "Boot strap: is a jumper, a button or solder holding it low? Without it the firmware starts.";
static const char check_wiring[] =
    "Wiring: use --wiring as heard above, or set WRYTOGRAPH_WIRING to it.";
static const char check_speed[] =
    "Speed: does the board use another one? (--call-speed; for listen, --speed)";
static const char check_cable[] =
    "Cable: use a shorter one, or another one; keep long wires away from the supply.";
static const char check_supply[] =
    "Supply: use one that gives 500 mA, not the adapter's 3.3 V pin; short, thick wires.";
static const char check_reset[] = "Reset: tap the board's reset button; does it print anything?";

enum {
    CHECKS_MAX = 6,
};

struct entry {
    const char *cause;
    const char *checks[CHECKS_MAX + 1];
};

static const struct entry entries[] = {
    [WRY_FINDING_GOOD] = {"Nothing is wrong with this link.", {NULL}},
    [WRY_FINDING_SILENT] =
        {"Nothing comes from the board: most likely TX and RX are not crossed, or the "
         "wire to the adapter's RX is open.",
         {check_crossed, check_rx, check_power, check_ground, check_strap, check_cable}},
    [WRY_FINDING_LOW] = {"The board holds the line low: most likely it has no power.",
                         {check_power, check_ground, check_crossed}},
    [WRY_FINDING_ECHO] = {"Our own calls come back: TX and RX are joined.",
                          {check_joined, check_crossed}},
    [WRY_FINDING_STRAP] = {"The board runs its program: the boot strap was not held through reset.",
                           {check_strap, check_crossed, check_speed}},
    [WRY_FINDING_WIRING] =
        {"Nothing is wrong with this link, but its outputs are wired differently.", {check_wiring}},
    [WRY_FINDING_DEAF] = {"The board is in loading mode, but does not hear us: most likely the "
                          "wire from the adapter's TX to its RX is open.",
                          {check_tx, check_speed, check_ground, check_cable}},
    [WRY_FINDING_OTHER_SPEED] = {"The board speaks at another speed.", {check_speed, check_strap}},
    [WRY_FINDING_NO_GROUND] =
        {"Stray bytes arrive, even while the board is in reset: most likely the ground is missing.",
         {check_ground, check_cable, check_crossed, check_power}},
    [WRY_FINDING_GARBAGE] = {"The bytes received are not readable at any usual speed.",
                             {check_ground, check_speed, check_cable, check_power}},
    [WRY_FINDING_NOISE] =
        {"Bytes from the board arrive damaged: the line is noisy, or the speed is wrong.",
         {check_cable, check_ground, check_speed}},
    [WRY_FINDING_SLOW] = {"The link works, but fails at higher speeds.",
                          {check_cable, check_ground}},
    [WRY_FINDING_BROWN_OUT] = {"The board restarts under load: its supply fails.",
                               {check_supply, check_power, check_ground}},
    [WRY_FINDING_FADES] = {"The board answers at first and falls silent under load.",
                           {check_supply, check_cable, check_ground}},
    [WRY_FINDING_STRAP_HELD] = {"The link works, but the board enters loading mode at every reset: "
                                "its boot strap is always held, and its firmware never runs.",
                                {check_strap_held}},
};

/* Where reset and strap are not wired, only the buttons enter loading mode, and reset the board. */
static const struct entry unwired_silent = {
    "Nothing comes from the board. Its reset is not wired: it prints only when somebody resets it.",
    {check_buttons, check_crossed, check_rx, check_power, check_ground}};
static const struct entry unwired_strap = {
    "The board runs its program: it must be put into loading mode by its buttons, since reset and "
    "strap are not wired.",
    {check_buttons, check_crossed}};
static const struct entry pressed_silent = {
    "Nothing comes from the board: most likely TX and RX are not crossed, or the wire to the "
    "adapter's RX is open.",
    {check_crossed, check_rx, check_reset, check_power, check_ground}};
static const struct entry pressed_strap = {
    "The board runs its program: the boot button was not held through reset.",
    {check_pressed, check_crossed, check_speed}};
/* The loader answers. */
static const struct entry damaged = {
    "Bytes arrive damaged: the line is noisy. Work can go on, only slower: everything is checked, "
    "and sent again if necessary.",
    {check_cable, check_ground}};

/* Programs print at another speed than the loader. */
static const struct entry text_elsewhere = {
    "The board runs its program, which prints at another speed: the boot strap was not held "
    "through reset.",
    {check_strap, check_crossed, check_speed}};
static const struct entry unwired_elsewhere = {
    "The board runs its program, which prints at another speed: it must be put into loading mode "
    "by its buttons.",
    {check_buttons, check_crossed, check_speed}};

static const struct entry unwired_noise = {
    "The board runs its program, and its bytes arrive damaged: it must be put into loading mode by "
    "its buttons, and the line is noisy, or the speed is wrong.",
    {check_buttons, check_cable, check_ground, check_speed}};

static const struct entry *entry_of(const struct wry_evidence *evidence)
{
    switch (evidence->finding) {
    case WRY_FINDING_SILENT:
        if (evidence->by_hand)
            return &pressed_silent;
        return evidence->no_lines ? &unwired_silent : &entries[evidence->finding];
    case WRY_FINDING_STRAP:
        if (evidence->by_hand)
            return &pressed_strap;
        return evidence->no_lines ? &unwired_strap : &entries[evidence->finding];
    case WRY_FINDING_OTHER_SPEED:
        if (evidence->kind != WRY_EVIDENCE_TEXT)
            return &entries[evidence->finding];
        return evidence->no_lines ? &unwired_elsewhere : &text_elsewhere;
    case WRY_FINDING_NOISE:
        if (evidence->no_lines && !evidence->by_hand && evidence->counts.frames_bad == 0)
            return &unwired_noise;
        return evidence->kind == WRY_EVIDENCE_DAMAGED ? &damaged : &entries[evidence->finding];
    default:
        return &entries[evidence->finding];
    }
}

const char *wry_finding_cause(enum wry_finding finding)
{
    return entries[finding].cause;
}

const char *const *wry_finding_checks(enum wry_finding finding)
{
    return entries[finding].checks;
}

const char *wry_evidence_cause(const struct wry_evidence *evidence)
{
    return entry_of(evidence)->cause;
}

/* The option that makes the command work, if one was found. */
static char *option_found(const struct wry_evidence *evidence)
{
    switch (evidence->kind) {
    case WRY_EVIDENCE_LOADER:
        return g_strdup_printf("Speed: add --call-speed %u.", (unsigned)evidence->speed);
    case WRY_EVIDENCE_WIRING:
        return g_strdup_printf("Wiring: add --wiring %s, or set WRYTOGRAPH_WIRING to it.",
                               evidence->wiring->name);
    default:
        return NULL;
    }
}

char **wry_evidence_checks(const struct wry_evidence *evidence)
{
    const char *const *checks = entry_of(evidence)->checks;
    GStrvBuilder *builder = g_strv_builder_new();
    g_autofree char *option = option_found(evidence);

    if (option)
        g_strv_builder_add(builder, option);
    /* What was found takes the place of the general question. */
    for (unsigned i = option ? 1 : 0; checks[i]; i++)
        g_strv_builder_add(builder, checks[i]);
    char **result = g_strv_builder_end(builder);
    g_strv_builder_unref(builder);
    return result;
}

/* Describes what was heard while the board was called without success. */
static char *heard(const struct wry_evidence *evidence)
{
    const struct wry_session_stats *counts = &evidence->counts;

    switch (evidence->finding) {
    case WRY_FINDING_ECHO:
        return g_strdup_printf("our own frames, %u times", counts->own_frames);
    case WRY_FINDING_SILENT:
        return g_strdup("nothing");
    case WRY_FINDING_LOW:
        return g_strdup_printf("%u zeros and nothing else", counts->bytes_zero);
    case WRY_FINDING_STRAP:
    case WRY_FINDING_DEAF:
        return g_strdup_printf(
            "readable text, last \"%s\"%s", evidence->last_line ? evidence->last_line : "",
            evidence->wirings_tried ? "; no other wiring reaches loading mode" : "");
    default:
        return g_strdup_printf("%" G_GUINT64_FORMAT " unreadable bytes, %u damaged frame%s",
                               counts->bytes_received, counts->frames_bad,
                               counts->frames_bad == 1 ? "" : "s");
    }
}

char *wry_evidence_text(const struct wry_evidence *evidence)
{
    const struct wry_session_stats *counts = &evidence->counts;
    unsigned speed = evidence->speed;

    switch (evidence->kind) {
    case WRY_EVIDENCE_HEARD:
        break;
    case WRY_EVIDENCE_LOADER:
        return g_strdup_printf("a loader that answers at %u baud", speed);
    case WRY_EVIDENCE_WIRING:
        return g_strdup_printf("a loader that answers with --wiring %s", evidence->wiring->name);
    case WRY_EVIDENCE_WORKS:
        return g_strdup_printf("a loader that answers at %u baud, also under load", speed);
    case WRY_EVIDENCE_LOADING_TEXT:
        return g_strdup("boot text that reports loading mode, but no answer of the loader");
    case WRY_EVIDENCE_TEXT:
        return g_strdup_printf("readable text at %u baud", speed);
    case WRY_EVIDENCE_RESTARTED:
        return g_strdup("a board that restarted in the middle of the work");
    case WRY_EVIDENCE_LOADING_AGAIN:
        return g_strdup("the boot ROM's report of loading mode, after the firmware was started");
    case WRY_EVIDENCE_FELL_SILENT:
        return g_strdup("answers at first, then none");
    case WRY_EVIDENCE_DAMAGED:
        return g_strdup_printf("%u damaged frame%s while %u KiB were read, at %u baud in the end",
                               counts->frames_bad, counts->frames_bad == 1 ? "" : "s",
                               (unsigned)(evidence->length / 1024), speed);
    case WRY_EVIDENCE_SPEEDS_GIVEN_UP:
        return g_strdup_printf("%u speeds failed; %u baud works, also under load",
                               counts->speed_steps_down, speed);
    }
    return heard(evidence);
}
