/* libarchive, loaded when it is first needed; call tar_library_load first. */
#pragma once

#include <archive.h>
#include <archive_entry.h>

#include "base/lazy_library.h"

/* clang-format off */
#define TAR_CALLS(CALL) \
    CALL(archive_entry_free) CALL(archive_entry_new) CALL(archive_entry_set_filetype) \
    CALL(archive_entry_set_mtime) CALL(archive_entry_set_pathname) \
    CALL(archive_entry_set_perm) CALL(archive_entry_set_size) CALL(archive_write_close) \
    CALL(archive_write_data) CALL(archive_write_free) CALL(archive_write_header) \
    CALL(archive_write_new) CALL(archive_write_open) \
    CALL(archive_write_set_bytes_in_last_block) CALL(archive_write_set_bytes_per_block) \
    CALL(archive_write_set_format_ustar)
/* clang-format on */
TAR_CALLS(LAZY_DECLARE)

/* FALSE with error if it is not installed. */
gboolean tar_library_load(GError **error);

#ifndef LAZY_LINKED
#define archive_entry_free lazy_archive_entry_free
#define archive_entry_new lazy_archive_entry_new
#define archive_entry_set_filetype lazy_archive_entry_set_filetype
#define archive_entry_set_mtime lazy_archive_entry_set_mtime
#define archive_entry_set_pathname lazy_archive_entry_set_pathname
#define archive_entry_set_perm lazy_archive_entry_set_perm
#define archive_entry_set_size lazy_archive_entry_set_size
#define archive_write_close lazy_archive_write_close
#define archive_write_data lazy_archive_write_data
#define archive_write_free lazy_archive_write_free
#define archive_write_header lazy_archive_write_header
#define archive_write_new lazy_archive_write_new
#define archive_write_open lazy_archive_write_open
#define archive_write_set_bytes_in_last_block lazy_archive_write_set_bytes_in_last_block
#define archive_write_set_bytes_per_block lazy_archive_write_set_bytes_per_block
#define archive_write_set_format_ustar lazy_archive_write_set_format_ustar
#endif
