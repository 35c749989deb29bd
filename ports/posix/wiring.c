/* How adapter outputs reach the board's reset and boot strap. */
#include "wrytograph-host/wiring.h"
#include "wiring_lines.h"

#include <string.h>

static const struct wry_wiring wirings[] = {
    {.name = "rts-reset",
     .words = "RTS to RESET, DTR to BOOT, straight: asserting an output pulls its pin low",
     .reset_is_rts = true},
    {.name = "dtr-reset",
     .words = "DTR to RESET, RTS to BOOT, straight: asserting an output pulls its pin low"},
    {.name = "rts-reset-inverted",
     .words = "RTS to RESET, DTR to BOOT, each through an inverter",
     .reset_is_rts = true,
     .reset_inverted = true,
     .boot_inverted = true},
    {.name = "dtr-reset-inverted",
     .words = "DTR to RESET, RTS to BOOT, each through an inverter",
     .reset_inverted = true,
     .boot_inverted = true},
    {.name = "cross-coupled",
     .words =
         "two transistors, each output acting only against the other: RTS alone pulls RESET low, "
         "DTR alone pulls BOOT low",
     .reset_is_rts = true,
     .cross_coupled = true},
    {.name = "none", .words = "neither output is wired: loading mode by buttons", .none = true},
};

const struct wry_wiring *wry_wiring_at(size_t n)
{
    return n < sizeof wirings / sizeof wirings[0] ? &wirings[n] : NULL;
}

const struct wry_wiring *wry_wiring_by_name(const char *name)
{
    for (size_t i = 0; wry_wiring_at(i); i++) {
        if (strcmp(wirings[i].name, name) == 0)
            return &wirings[i];
    }
    return NULL;
}

void wiring_outputs(const struct wry_wiring *wiring, bool reset, bool boot, bool *dtr, bool *rts)
{
    if (wiring->none) {
        *dtr = *rts = false;
        return;
    }
    if (wiring->cross_coupled)
        boot = boot && !reset;
    bool reset_out = reset != wiring->reset_inverted;
    bool boot_out = boot != wiring->boot_inverted;

    *rts = wiring->reset_is_rts ? reset_out : boot_out;
    *dtr = wiring->reset_is_rts ? boot_out : reset_out;
}

void wiring_meaning(const struct wry_wiring *wiring, bool dtr, bool rts, bool *reset, bool *boot)
{
    bool reset_out = wiring->reset_is_rts ? rts : dtr;
    bool boot_out = wiring->reset_is_rts ? dtr : rts;

    if (wiring->cross_coupled && dtr && rts)
        reset_out = boot_out = false;
    *reset = !wiring->none && reset_out != wiring->reset_inverted;
    *boot = !wiring->none && boot_out != wiring->boot_inverted;
}
