/* The code on a label: QR (ISO/IEC 18004), if the build has libqrencode. */
#pragma once

/* The SVG path that fills the dark modules; "" without libqrencode, or without memory for it. Free
 * with g_free. */
char *label_code(const char *text);
