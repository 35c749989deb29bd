# The hosted parts: real and simulated ports, files, the command.

find_package(PkgConfig REQUIRED)
pkg_check_modules(GLIB REQUIRED IMPORTED_TARGET glib-2.0 gio-2.0)
pkg_check_modules(JSON REQUIRED IMPORTED_TARGET json-glib-1.0)
pkg_check_modules(SERIALPORT REQUIRED IMPORTED_TARGET libserialport)
pkg_check_modules(TELNET REQUIRED IMPORTED_TARGET libtelnet)
pkg_check_modules(YAML REQUIRED IMPORTED_TARGET yaml-0.1)
pkg_check_modules(ZIP REQUIRED IMPORTED_TARGET libzip)
pkg_check_modules(SQLITE REQUIRED IMPORTED_TARGET sqlite3)
pkg_check_modules(ARCHIVE REQUIRED IMPORTED_TARGET libarchive)
pkg_check_modules(SODIUM REQUIRED IMPORTED_TARGET libsodium)
pkg_check_modules(SMARTCOLS REQUIRED IMPORTED_TARGET smartcols)
pkg_check_modules(ZLIB REQUIRED IMPORTED_TARGET zlib)
pkg_check_modules(LZMA REQUIRED IMPORTED_TARGET liblzma)
find_library(DIVSUFSORT divsufsort REQUIRED) # these two come without a .pc file
find_library(CSV csv REQUIRED)
set(WRY_HOST_PACKAGES PkgConfig::GLIB PkgConfig::JSON PkgConfig::SERIALPORT
    PkgConfig::TELNET PkgConfig::YAML PkgConfig::SQLITE
    PkgConfig::ZLIB PkgConfig::LZMA PkgConfig::SODIUM ${DIVSUFSORT} ${CSV} ${CMAKE_DL_LIBS})
# Loaded when they are first needed (base/lazy_library.h).
include(cmake/lazy.cmake)
wry_lazy(ZIP ZIP store/file/zip_library.h)
wry_lazy(ARCHIVE TAR store/image/tar_library.h)

# What one can do without; wrytograph --version lists what was left out.
option(WRY_POSTGRES "Ledgers on PostgreSQL servers (libpq)" ON)
option(WRY_MAGIC "Kinds of files that are no firmware (libmagic)" ON)
option(WRY_QR "Codes on labels (libqrencode)" ON)
set(WRY_LEFT_OUT "")
if(WRY_POSTGRES)
    pkg_check_modules(PQ REQUIRED IMPORTED_TARGET libpq)
    wry_lazy(PQ PQ store/ledger/pq_library.h)
    set(WRY_LEDGER_SERVER store/ledger/ledger_postgres.c store/ledger/postgres.c store/ledger/pq_library.c store/ledger/meter.c)
else()
    list(APPEND WRY_LEFT_OUT "PostgreSQL ledgers")
    set(WRY_LEDGER_SERVER store/ledger/ledger_postgres_none.c)
endif()
if(WRY_MAGIC)
    pkg_check_modules(MAGIC REQUIRED IMPORTED_TARGET libmagic)
    list(APPEND WRY_HOST_PACKAGES PkgConfig::MAGIC)
    set(WRY_MEDIA_TYPES store/file/media_type.c)
else()
    list(APPEND WRY_LEFT_OUT "kinds of files")
    set(WRY_MEDIA_TYPES store/file/media_type_none.c)
endif()
if(WRY_QR)
    pkg_check_modules(QRENCODE REQUIRED IMPORTED_TARGET libqrencode)
else()
    list(APPEND WRY_LEFT_OUT "codes on labels")
endif()
list(JOIN WRY_LEFT_OUT ", " WRY_LEFT_OUT_TEXT)

set(CMAKE_POSITION_INDEPENDENT_CODE ON)

set(WRY_SIM_SOURCES
    ports/sim/adapter.c ports/sim/sim_board.c ports/sim/firmware.c ports/sim/line.c
    ports/sim/nor_die.c ports/sim/nor_sfdp.c ports/sim/sounder.c ports/sim/storage.c)
file(GLOB WRY_MIGRATIONS CONFIGURE_DEPENDS store/ledger/migrations/*/*.sql)
add_custom_command(OUTPUT ${CMAKE_CURRENT_BINARY_DIR}/ledger_migrations.c
    COMMAND ${CMAKE_COMMAND} -DFOLDER=${PROJECT_SOURCE_DIR}/store/ledger/migrations
        -DOUT=${CMAKE_CURRENT_BINARY_DIR}/ledger_migrations.c
        -P ${PROJECT_SOURCE_DIR}/cmake/migrations.cmake
    DEPENDS ${WRY_MIGRATIONS} cmake/migrations.cmake)
set(WRY_SENTENCES jobs/words/sentences/problems.txt jobs/words/sentences/session.txt jobs/words/sentences/notes.txt)
add_custom_command(OUTPUT ${CMAKE_CURRENT_BINARY_DIR}/sentences.c
    COMMAND awk -v OUT=${CMAKE_CURRENT_BINARY_DIR}/sentences.c -f cmake/sentences.awk ${WRY_SENTENCES}
    WORKING_DIRECTORY ${PROJECT_SOURCE_DIR}
    DEPENDS ${WRY_SENTENCES} cmake/sentences.awk VERBATIM)
set(WRY_PACK_SOURCES pack/ahead.c pack/deflate_packer.c pack/difference_packer.c pack/encoder.c pack/estimate.c pack/filtered_source.c pack/findings.c pack/key.c pack/lzma_packer.c pack/measure.c pack/old_content.c pack/content_packer.c pack/shared.c)
set(WRY_HOST_SOURCES
    ${WRY_PACK_SOURCES}
    chips/chip_check.c chips/chip_file.c chips/chips.c chips/kept_chips.c base/digest.c base/error.c base/file_lock.c base/folder_names.c base/lazy_library.c base/folders.c base/process_mark.c base/text_file.c base/group_commit.c base/units.c base/words_distance.c base/yaml_members.c
    ports/posix/clock.c ports/posix/tty.c ports/posix/wiring.c
    ports/serial/devices.c ports/serial/port_lock.c ports/serial/serial.c ports/serial/serial_error.c ports/serial/usb.c ports/serial/usb_place.c
    ports/rfc2217/client.c ports/rfc2217/server.c
    ports/bench/bench_boards.c ports/bench/bench_folder.c ports/bench/board_file.c ports/bench/buttons.c ports/bench/fault_text.c ports/bench/pty.c ports/bench/serve.c
    store/file/adapter_speeds.c store/file/config.c store/archive/archive.c store/archive/archive_json.c store/archive/archive_record.c store/shelf/backups.c store/card/board_rows.c store/card/board_table.c store/card/card_data.c store/text/csv_table.c store/file/error.c store/card/card_file.c store/card/card_placements.c store/card/card_reader.c store/db/database.c store/file/zip_library.c store/file/file_kind.c store/file/file_cache.c store/file/folder.c store/image/tar_library.c store/image/folder_image.c store/image/image_file.c store/journal/journal.c store/journal/journal_commit.c store/journal/journal_tables.c store/card/kit.c store/card/kit_list.c store/card/kit_pack.c store/card/kit_zip.c store/shelf/known_lookup.c store/shelf/known_index.c store/shelf/known_source.c store/ledger/ledger.c store/ledger/ledger_columns.c store/ledger/ledger_sqlite.c store/ledger/ledger_sender.c store/ledger/row_claims.c ${WRY_LEDGER_SERVER} ${WRY_MEDIA_TYPES} ${CMAKE_CURRENT_BINARY_DIR}/ledger_migrations.c store/image/layout_file.c store/file/leftovers.c base/diagnostics.c store/image/settings.c store/image/settings_description.c store/image/settings_file.c store/shelf/shelf_store.c store/card/signing.c store/image/steps_file.c base/yaml_text.c
    store/file/atomic_file.c store/file/spool.c 
    jobs/words/error_words.c jobs/words/fact_words.c jobs/words/finding_words.c jobs/words/note_words.c
    jobs/words/problem_facts.c ${CMAKE_CURRENT_BINARY_DIR}/sentences.c jobs/words/problem_words.c jobs/words/template.c
    jobs/flash/archives.c jobs/plan/backup_records.c jobs/flash/backup.c jobs/station/station_board.c jobs/station/board_call.c jobs/station/counted_port.c jobs/station/flash_reader.c jobs/station/flash_size.c jobs/station/figure.c jobs/station/several_jobs.c jobs/plain/plain.c jobs/plan/shelf_source.c jobs/plan/image_source.c
    jobs/plan/region_table_update.c jobs/plan/placement_rules.c jobs/plan/plan_build.c jobs/plan/settings_edit.c jobs/station/settings_read.c jobs/plan/settings_loss.c jobs/plan/shelf.c jobs/plan/shelf_items.c
    jobs/flash/incremental_read.c jobs/flash/replaced.c jobs/look/contents.c jobs/flash/erase.c jobs/look/examine.c jobs/plan/estimate.c
    jobs/station/diagnosis.c jobs/look/identify.c jobs/plan/placed_image.c jobs/plan/image_checks.c jobs/plan/image_set.c jobs/look/inspect.c
    jobs/station/recovery.c jobs/station/known_content.c jobs/station/serial_text.c
    jobs/station/silence.c
    jobs/station/link.c jobs/plan/plan.c jobs/station/regions.c jobs/station/secrets.c jobs/station/run_record.c jobs/station/station_problem.c
    jobs/card/card.c jobs/card/card_board.c jobs/card/card_check.c jobs/card/card_many.c jobs/card/card_history.c jobs/card/card_row.c jobs/card/card_run.c jobs/card/lot.c
    jobs/settings/board_settings.c jobs/settings/file_settings.c jobs/settings/settings_lines.c jobs/plan/described.c jobs/flash/restore.c jobs/station/station.c jobs/console/console.c jobs/console/console_line.c jobs/console/transfer.c jobs/flash/verify.c jobs/station/write_common.c jobs/flash/write.c)

# Simulated boards alone need no package.
add_library(wry_sim STATIC ${WRY_SIM_SOURCES})
target_include_directories(wry_sim PUBLIC ports PRIVATE core)
target_link_libraries(wry_sim PUBLIC wrytograph_static wry_loader)

wry_lazy_dependencies()

# Packers alone need no more than their libraries.
add_library(wry_pack STATIC ${WRY_PACK_SOURCES})
target_compile_definitions(wry_pack PRIVATE _GNU_SOURCE)
target_include_directories(wry_pack PUBLIC ${PROJECT_SOURCE_DIR})
target_link_libraries(wry_pack PUBLIC wrytograph_static PkgConfig::ZLIB PkgConfig::LZMA PRIVATE ${DIVSUFSORT})

add_library(wry_host_objects OBJECT ${WRY_HOST_SOURCES})
target_include_directories(wry_host_objects PRIVATE include ports ${PROJECT_SOURCE_DIR})
target_include_directories(wry_host_objects SYSTEM PRIVATE ${WRY_LAZY_FOLDERS})
target_compile_definitions(wry_host_objects PRIVATE _GNU_SOURCE ${WRY_LAZY_FILES})
target_link_libraries(wry_host_objects PRIVATE ${WRY_HOST_PACKAGES})

# What the command and the tests are linked with: they look inside.
add_library(wry_host STATIC $<TARGET_OBJECTS:wry_host_objects>)
target_include_directories(wry_host PUBLIC ports ${PROJECT_SOURCE_DIR})
target_link_libraries(wry_host PUBLIC wry_sim ${WRY_HOST_PACKAGES})

# What others are linked with: it exports what its public headers declare, and nothing else. The
# simulated boards and the loader that they run are inside.
add_library(wrytograph_host SHARED
    $<TARGET_OBJECTS:wry_host_objects> ${WRY_SIM_SOURCES} ${WRY_LOADER_SOURCES} ${WRY_INNER_SOURCES})
set_target_properties(wrytograph_host PROPERTIES
    OUTPUT_NAME wrytograph-host EXPORT_NAME host C_VISIBILITY_PRESET hidden
    VERSION ${PROJECT_VERSION} SOVERSION ${PROJECT_VERSION_MAJOR}.${PROJECT_VERSION_MINOR})
target_include_directories(wrytograph_host PRIVATE core ports)
target_link_libraries(wrytograph_host PUBLIC wrytograph_shared PkgConfig::GLIB
    PRIVATE ${WRY_HOST_PACKAGES})
target_link_options(wrytograph_host PRIVATE
    "-Wl,--version-script=${PROJECT_SOURCE_DIR}/cmake/exports.map")
set_property(TARGET wrytograph_host APPEND PROPERTY
    LINK_DEPENDS ${PROJECT_SOURCE_DIR}/cmake/exports.map)

add_executable(gauge_images demo/gauge_images.c demo/firmware_like.c demo/program_like.c)
target_link_libraries(gauge_images PRIVATE wrytograph_static)
target_compile_definitions(gauge_images PRIVATE _GNU_SOURCE WRY_DEMO_FOLDER="${PROJECT_SOURCE_DIR}/demo")

file(GLOB WRY_CLI_SOURCES CONFIGURE_DEPENDS cli/*.c cli/*/*.c)
find_program(GLIB_COMPILE_RESOURCES glib-compile-resources REQUIRED)
file(GLOB WRY_TEMPLATES CONFIGURE_DEPENDS cli/templates/*)
add_custom_command(OUTPUT ${CMAKE_CURRENT_BINARY_DIR}/cli_templates.c
    COMMAND ${GLIB_COMPILE_RESOURCES} --generate-source
        --sourcedir=${PROJECT_SOURCE_DIR}/cli/templates
        --target=${CMAKE_CURRENT_BINARY_DIR}/cli_templates.c
        ${PROJECT_SOURCE_DIR}/cli/templates/templates.gresource.xml
    DEPENDS ${WRY_TEMPLATES})
# One string holds all templates: longer than what C99 promises, which no compiler minds.
set_source_files_properties(${CMAKE_CURRENT_BINARY_DIR}/cli_templates.c PROPERTIES
    COMPILE_OPTIONS "-Wno-overlength-strings")
add_executable(wrytograph ${WRY_CLI_SOURCES} ${CMAKE_CURRENT_BINARY_DIR}/cli_templates.c)
target_compile_definitions(wrytograph PRIVATE _GNU_SOURCE WRY_LEFT_OUT="${WRY_LEFT_OUT_TEXT}")
target_include_directories(wrytograph PRIVATE cli)
target_link_libraries(wrytograph PRIVATE wry_host PkgConfig::SMARTCOLS)
if(WRY_QR)
    target_compile_definitions(wrytograph PRIVATE WRY_WITH_QR)
    target_link_libraries(wrytograph PRIVATE PkgConfig::QRENCODE)
endif()

# Three quarters of a small file's compilation are GLib's headers. Not in ordinary builds, where each
# file must include what it needs.
if(WRY_QUICK)
    foreach(target wry_host_objects wrytograph)
        target_compile_options(${target} PRIVATE -O1)
        target_precompile_headers(${target} PRIVATE
            <glib.h> <stdbool.h> <stdio.h> <string.h> <wrytograph-host/jobs.h>)
    endforeach()
    target_precompile_headers(wrytograph PRIVATE <app/app.h>)
endif()
