/* Diagnosis of a link. */
#include "jobs/station/diagnosis.h"

#include <glib.h>
#include <string.h>

#include "wrytograph-host/chips.h"

enum {
    TEXT_LEAST = 11,         /* bytes of text that a program has printed, at least */
    DAMAGED_PER_RESTART = 4, /* frames that a restart may garble */
    DAMAGED_FRAMES = 2,      /* that prove an answering loader; stray bytes look like one at most */
};

const char *wry_finding_name(enum wry_finding finding)
{
    static const char *const names[] = {
        [WRY_FINDING_GOOD] = "good",
        [WRY_FINDING_SILENT] = "silent",
        [WRY_FINDING_LOW] = "unpowered",
        [WRY_FINDING_ECHO] = "echo",
        [WRY_FINDING_STRAP] = "strap",
        [WRY_FINDING_WIRING] = "wiring",
        [WRY_FINDING_DEAF] = "deaf",
        [WRY_FINDING_OTHER_SPEED] = "other-speed",
        [WRY_FINDING_NO_GROUND] = "no-ground",
        [WRY_FINDING_GARBAGE] = "garbage",
        [WRY_FINDING_NOISE] = "noise",
        [WRY_FINDING_SLOW] = "slow-cable",
        [WRY_FINDING_BROWN_OUT] = "brown-out",
        [WRY_FINDING_FADES] = "fades",
        [WRY_FINDING_STRAP_HELD] = "strap-held",
    };

    return (size_t)finding < G_N_ELEMENTS(names) ? names[finding] : "unknown";
}

/* Whole text without frames comes from a running program; on a noisy line both have errors. */
static bool is_spoiled(const struct wry_session_stats *counts)
{
    return counts->frames_bad > 0 ||
           counts->bytes_printable * UINT64_C(50) < counts->bytes_outside * UINT64_C(49);
}

bool diagnosis_is_text(uint64_t outside, uint64_t printable)
{
    return printable >= TEXT_LEAST && printable * 10 >= outside * 9;
}

static enum wry_finding judge(const struct wry_session_stats *counts)
{
    uint64_t outside = counts->bytes_outside;

    /* A program may echo what it receives; joined wires print nothing. */
    if (counts->own_frames > 0)
        return diagnosis_is_text(outside, counts->bytes_printable) ? WRY_FINDING_STRAP
                                                                   : WRY_FINDING_ECHO;
    if (counts->bytes_received == 0)
        return WRY_FINDING_SILENT;
    if (counts->bytes_zero * UINT64_C(10) >= counts->bytes_received * 9)
        return WRY_FINDING_LOW;
    if (outside > 0 && counts->bytes_printable * UINT64_C(10) >= outside * 8 &&
        outside * 2 >= counts->bytes_received)
        return is_spoiled(counts) ? WRY_FINDING_NOISE : WRY_FINDING_STRAP;
    return counts->frames_bad >= DAMAGED_FRAMES ? WRY_FINDING_NOISE : WRY_FINDING_GARBAGE;
}

/* A board that is found again only after a reset may have restarted, or a bad line made the calls
 * fail. GOOD if there is no evidence. */
static enum wry_finding judge_loss(const struct wry_session_stats *counts, bool program_heard)
{
    if (counts->frames_bad * 10 > counts->frames_resent &&
        counts->frames_bad > counts->restarts * DAMAGED_PER_RESTART)
        return WRY_FINDING_NOISE;
    return program_heard || counts->restarts > 0 ? WRY_FINDING_BROWN_OUT : WRY_FINDING_GOOD;
}

char *diagnosis_last_line(const uint8_t *bytes, size_t n)
{
    GString *text = g_string_new(NULL);

    for (size_t i = 0; i < n; i++) {
        if (bytes[i] == '\n' && i + 1 < n)
            g_string_truncate(text, 0);
        else if (bytes[i] >= 0x20 && bytes[i] < 0x7F)
            g_string_append_c(text, (char)bytes[i]);
    }
    return g_string_free(text, FALSE);
}

static char *last_line(const struct wry_session *session)
{
    uint8_t bytes[WRY_SESSION_HEARD] = {0};

    return diagnosis_last_line(bytes, wry_session_heard(session, bytes));
}

bool diagnosis_says_loading(const char *text)
{
    for (size_t i = 0; wry_chips_at(i); i++) {
        const char *words = wry_chips_at(i)->says_loading;
        if (words && strstr(text, words))
            return true;
    }
    return false;
}

void wry_evidence_take(struct wry_evidence *evidence, const struct wry_session *session)
{
    const struct wry_session_stats *counts = wry_session_stats(session);

    *evidence = (struct wry_evidence){
        .finding = judge(counts), .counts = *counts, .last_line = last_line(session)};
    if (evidence->finding == WRY_FINDING_STRAP && diagnosis_says_loading(evidence->last_line))
        evidence->finding = WRY_FINDING_DEAF;
}

void diagnosis_take_of_loss(struct wry_evidence *evidence, const struct wry_session *session,
                            bool program_heard)
{
    const struct wry_session_stats *counts = wry_session_stats(session);

    *evidence = (struct wry_evidence){.finding = judge_loss(counts, program_heard),
                                      .counts = *counts,
                                      .last_line = last_line(session)};
}

void diagnosis_conclude(struct wry_evidence *evidence, enum wry_finding finding,
                        enum wry_evidence_kind kind, uint32_t speed)
{
    evidence->finding = finding;
    evidence->kind = kind;
    evidence->speed = speed;
}

void wry_evidence_clear(struct wry_evidence *evidence)
{
    g_free(evidence->last_line);
    evidence->last_line = NULL;
}
