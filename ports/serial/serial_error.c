/* Errors of serial ports. */
#include "wrytograph-host/serial.h"

GQuark wry_serial_error_quark(void)
{
    return g_quark_from_static_string("wrytograph-serial");
}
