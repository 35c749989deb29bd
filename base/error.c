/* Domains of errors. */
#include "wrytograph-host/error.h"

GQuark wry_store_error_quark(void)
{
    return g_quark_from_static_string("wrytograph-store");
}

GQuark wry_bench_error_quark(void)
{
    return g_quark_from_static_string("wrytograph-bench");
}

GQuark wry_text_file_error_quark(void)
{
    return g_quark_from_static_string("wrytograph-text-file");
}
