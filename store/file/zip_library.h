/* libzip, loaded when it is first needed; call zip_library_load first. */
#pragma once

#include <zip.h>

#include "base/lazy_library.h"

/* clang-format off */
#define ZIP_CALLS(CALL) \
    CALL(zip_close) CALL(zip_discard) CALL(zip_fclose) CALL(zip_file_add) \
    CALL(zip_file_set_dostime) CALL(zip_file_set_external_attributes) CALL(zip_fopen) \
    CALL(zip_fopen_index) CALL(zip_fread) CALL(zip_get_name) CALL(zip_get_num_entries) \
    CALL(zip_name_locate) CALL(zip_open) CALL(zip_set_file_compression) \
    CALL(zip_source_buffer) CALL(zip_source_file) CALL(zip_source_filep) \
    CALL(zip_source_free) CALL(zip_stat) CALL(zip_strerror)
/* clang-format on */
ZIP_CALLS(LAZY_DECLARE)

/* FALSE with error if it is not installed. */
gboolean zip_library_load(GError **error);

#ifndef LAZY_LINKED
#define zip_close lazy_zip_close
#define zip_discard lazy_zip_discard
#define zip_fclose lazy_zip_fclose
#define zip_file_add lazy_zip_file_add
#define zip_file_set_dostime lazy_zip_file_set_dostime
#define zip_file_set_external_attributes lazy_zip_file_set_external_attributes
#define zip_fopen lazy_zip_fopen
#define zip_fopen_index lazy_zip_fopen_index
#define zip_fread lazy_zip_fread
#define zip_get_name lazy_zip_get_name
#define zip_get_num_entries lazy_zip_get_num_entries
#define zip_name_locate lazy_zip_name_locate
#define zip_open lazy_zip_open
#define zip_set_file_compression lazy_zip_set_file_compression
#define zip_source_buffer lazy_zip_source_buffer
#define zip_source_file lazy_zip_source_file
#define zip_source_filep lazy_zip_source_filep
#define zip_source_free lazy_zip_source_free
#define zip_stat lazy_zip_stat
#define zip_strerror lazy_zip_strerror
#endif
