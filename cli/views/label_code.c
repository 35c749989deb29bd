/* Codes by libqrencode; a build without it makes labels without a code. */
#include "label_code.h"

#include <glib.h>

#ifdef WRY_WITH_QR
#include <qrencode.h>

enum {
    CODE = 180, /* side of the code, in tenths of a millimetre */
    QUIET = 20, /* white around it; the standard asks for four modules */
};

char *label_code(const char *text)
{
    QRcode *code = QRcode_encodeString(text, 0, QR_ECLEVEL_M, QR_MODE_8, 1);
    GString *path = g_string_new(NULL);
    int width = code ? code->width : 0;

    for (int i = 0; i < width * width; i++) {
        double module = (double)CODE / width;
        int row = i / width, column = i % width;
        if (code->data[i] & 1)
            g_string_append_printf(path, "M%.2f %.2fh%.2fv%.2fh-%.2fz", QUIET + column * module,
                                   QUIET + row * module, module, module, module);
    }
    QRcode_free(code);
    return g_string_free(path, FALSE);
}
#else
char *label_code(const char *text)
{
    (void)text;
    return g_strdup("");
}
#endif
