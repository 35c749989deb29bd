/* Large letters. */
#include "banner.h"

#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

enum {
    LETTER_ROWS = 5,
    LETTER_COLUMNS = 5,
};

/* Letters of five rows with five bits each. */
static const struct {
    char letter;
    unsigned char rows[LETTER_ROWS];
} letters[] = {
    {'P', {0x1E, 0x11, 0x1E, 0x10, 0x10}}, {'A', {0x0E, 0x11, 0x1F, 0x11, 0x11}},
    {'S', {0x0F, 0x10, 0x0E, 0x01, 0x1E}}, {'E', {0x1F, 0x10, 0x1E, 0x10, 0x1F}},
    {'D', {0x1E, 0x11, 0x11, 0x11, 0x1E}}, {'F', {0x1F, 0x10, 0x1E, 0x10, 0x10}},
    {'I', {0x0E, 0x04, 0x04, 0x04, 0x0E}}, {'L', {0x10, 0x10, 0x10, 0x10, 0x1F}},
    {'T', {0x1F, 0x04, 0x04, 0x04, 0x04}}, {'O', {0x0E, 0x11, 0x11, 0x11, 0x0E}},
    {'N', {0x11, 0x19, 0x15, 0x13, 0x11}}, {'B', {0x1E, 0x11, 0x1E, 0x11, 0x1E}},
    {'R', {0x1E, 0x11, 0x1E, 0x12, 0x11}}, {'X', {0x11, 0x0A, 0x04, 0x0A, 0x11}},
};

static unsigned char row_of(char letter, unsigned row)
{
    for (size_t i = 0; i < G_N_ELEMENTS(letters); i++) {
        if (letters[i].letter == letter)
            return letters[i].rows[row];
    }
    return 0;
}

static unsigned width(void)
{
    struct winsize size;

    return ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col >= 40 ? size.ws_col : 80;
}

/* Ground and letters (ECMA-48, SGR), with 16 colours and with 256. Letters are blanks of the
 * letters' colour: a glyph may leave gaps between the rows. */
static const struct {
    const char *ground[2], *letters[2];
} looks[] = {
    [BANNER_PASSED] = {{"\033[42m", "\033[48;5;22m"}, {"\033[40m", "\033[48;5;231m"}},
    [BANNER_FAILED] = {{"\033[41m", "\033[48;5;124m"}, {"\033[47m", "\033[48;5;231m"}},
    [BANNER_STOPPED] = {{"\033[43m", "\033[48;5;221m"}, {"\033[40m", "\033[48;5;16m"}},
    [BANNER_BEFORE] = {{"\033[47m", "\033[48;5;252m"}, {"\033[40m", "\033[48;5;16m"}},
    [BANNER_NEXT] = {{"\033[46m", "\033[48;5;117m"}, {"\033[40m", "\033[48;5;16m"}},
};

/* What a set or unset bit looks like: a colour before a blank, or a glyph. */
struct cells {
    const char *set, *unset; /* sequences; "" without colours */
    const char *full, *empty;
};

/* One row of the word, each bit as wide as scale, filled to the terminal's width. */
static void add_row(GString *to, const char *text, unsigned row, unsigned scale, unsigned columns,
                    const struct cells *cells)
{
    unsigned used = (unsigned)strlen(text) * (LETTER_COLUMNS + 1) * scale;
    unsigned left = columns > used ? (columns - used) / 2 : 0, written = left;

    g_string_append_printf(to, "%*s", (int)left, "");
    for (const char *at = text; *at; at++) {
        unsigned char bits = row_of(*at, row);
        for (int bit = LETTER_COLUMNS; bit >= 0; bit--, written += scale) {
            bool set = bit > 0 && (bits >> (bit - 1)) & 1;
            g_string_append(to, set ? cells->set : cells->unset);
            for (unsigned i = 0; i < scale; i++)
                g_string_append(to, set ? cells->full : cells->empty);
        }
    }
    g_string_append_printf(to, "%*s", written < columns ? (int)(columns - written) : 0, "");
}

void banner_print(const struct app *app, const char *text, enum banner_look look)
{
    bool painted = app_is_painted(), many = app_has_many_colours();
    const char *paint = looks[look].ground[many];
    struct cells cells = {painted ? looks[look].letters[many] : "", painted ? paint : "",
                          painted ? " " : "█", " "};
    unsigned columns = width();
    unsigned scale = columns / ((unsigned)strlen(text) * (LETTER_COLUMNS + 1));
    g_autoptr(GString) rows = g_string_new(NULL);

    if (app->json_wanted)
        return;
    scale = CLAMP(scale, 1, 3);
    for (unsigned row = 0; row < LETTER_ROWS + 2; row++) {
        g_string_append(rows, painted ? paint : "");
        if (row == 0 || row == LETTER_ROWS + 1)
            g_string_append_printf(rows, "%*s", (int)columns, "");
        else
            add_row(rows, text, row - 1, scale, columns, &cells);
        g_string_append(rows, painted ? "\033[0m\n" : "\n");
    }
    fputs(rows->str, stdout);
}
