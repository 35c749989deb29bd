/* Advice and outcome of errors of calls without a station. */
#include "wrytograph-host/error.h"
#include "wrytograph-host/remote.h"
#include "wrytograph-host/serial.h"

static const struct {
    GQuark (*domain)(void);
    int code;
    enum wry_outcome outcome;
    const char *advice;
} rows[] = {
    {wry_serial_error_quark, WRY_SERIAL_ERROR_MISSING, WRY_OUTCOME_BAD_INPUT,
     "'wrytograph ports' lists the ports."},
    {wry_serial_error_quark, WRY_SERIAL_ERROR_PERMISSION, WRY_OUTCOME_BAD_INPUT,
     "'sudo adduser $USER GROUP' puts you into a group, on most systems dialout; then log in "
     "again."},
    {wry_serial_error_quark, WRY_SERIAL_ERROR_BUSY, WRY_OUTCOME_BAD_INPUT,
     "Close that program, then run the same command again. 'wrytograph ports' shows which program "
     "uses a port."},
    {wry_remote_error_quark, WRY_REMOTE_ERROR_NO_COM_PORT, WRY_OUTCOME_BAD_INPUT,
     "For a raw connection, use tcp:// instead."},
    {wry_remote_error_quark, WRY_REMOTE_ERROR_BUSY, WRY_OUTCOME_BAD_INPUT,
     "End the other program, or wait for it, then run the same command again."},
    {wry_remote_error_quark, WRY_REMOTE_ERROR_CONNECT, WRY_OUTCOME_BAD_INPUT,
     "Check host and port, and that the server runs."},
    {wry_bench_error_quark, WRY_BENCH_ERROR_UNKNOWN, WRY_OUTCOME_USAGE,
     "'wrytograph bench list' lists the boards."},
    {wry_bench_error_quark, WRY_BENCH_ERROR_BUSY, WRY_OUTCOME_NO_ANSWER,
     "Wait until it has finished, or stop it."},
    {wry_bench_error_quark, WRY_BENCH_ERROR_BAD_NAME, WRY_OUTCOME_USAGE, NULL},
    {wry_bench_error_quark, WRY_BENCH_ERROR_BAD_VALUE, WRY_OUTCOME_USAGE, NULL},
    {wry_bench_error_quark, WRY_BENCH_ERROR_BAD_FAULT, WRY_OUTCOME_USAGE,
     "Faults are none, strap-released, unpowered, no-ground, swapped, echo, brown-out, "
     "loader=BAUD, "
     "console=BAUD, line-end=lf|cr|crlf, tx-open, rx-open, strap-stuck, console-echo, "
     "noise=RATE, noise-above=BAUD, lost=RATE, latency=TIME, cable=BAUD, to-board=BAUD, "
     "from-board=BAUD, off-speed=PERCENT, late-rts=TIME, protect=BITS, claims=SIZE, erases=SIZE, "
     "busy=TIME, power-cut=N, cable-cut=N, unplugged=N, no-sounder, old-sounder, sounder-refuses "
     "and sounder-dies=N."},
    {wry_bench_error_quark, WRY_BENCH_ERROR_BAD_BUTTON, WRY_OUTCOME_USAGE,
     "Press boot (it stays held), release, reset, loading (boot held, reset tapped, boot released) "
     "or power (off and on)."},
    {wry_bench_error_quark, WRY_BENCH_ERROR_EXISTS, WRY_OUTCOME_USAGE, NULL},
    {wry_store_error_quark, WRY_STORE_ERROR_NONE, WRY_OUTCOME_USAGE,
     "'wrytograph shelf list' lists the images."},
    {wry_store_error_quark, WRY_STORE_ERROR_EXISTS, WRY_OUTCOME_USAGE,
     "Choose another name, or add --replace."},
};

static int find(const GError *error)
{
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        if (error->domain == rows[i].domain() && error->code == rows[i].code)
            return (int)i;
    }
    return -1;
}

const char *wry_error_advice(const GError *error)
{
    int row = find(error);

    return row >= 0 ? rows[row].advice : NULL;
}

enum wry_outcome wry_error_outcome(const GError *error)
{
    int row = find(error);

    return row >= 0 ? rows[row].outcome : WRY_OUTCOME_BAD_INPUT;
}
