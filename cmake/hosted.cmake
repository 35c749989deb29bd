# The hosted parts: simulated hardware, the bench folder, the demo images, the command.

find_package(PkgConfig REQUIRED)
pkg_check_modules(GLIB REQUIRED IMPORTED_TARGET glib-2.0 gio-2.0)
pkg_check_modules(JSON REQUIRED IMPORTED_TARGET json-glib-1.0)
pkg_check_modules(CYAML REQUIRED IMPORTED_TARGET libcyaml)
pkg_check_modules(SERIALPORT REQUIRED IMPORTED_TARGET libserialport)
pkg_check_modules(TELNET REQUIRED IMPORTED_TARGET libtelnet)
pkg_check_modules(YAML REQUIRED IMPORTED_TARGET yaml-0.1)
pkg_check_modules(ZIP REQUIRED IMPORTED_TARGET libzip)
pkg_check_modules(SQLITE REQUIRED IMPORTED_TARGET sqlite3)

add_library(wry_sim STATIC
    ports/sim/board.c ports/sim/firmware.c ports/sim/line.c ports/sim/link.c ports/sim/nor_die.c)
target_include_directories(wry_sim PUBLIC ports)
target_link_libraries(wry_sim PUBLIC wrytograph_static wry_loader)

add_library(wry_base STATIC base/text_file.c)
target_include_directories(wry_base PUBLIC ${PROJECT_SOURCE_DIR})
target_compile_definitions(wry_base PRIVATE _GNU_SOURCE)
target_link_libraries(wry_base PUBLIC PkgConfig::GLIB)

add_library(wry_remote STATIC ports/rfc2217/client.c ports/rfc2217/server.c ports/real_clock.c
    ports/wiring.c)
target_include_directories(wry_remote PUBLIC ports)
target_compile_definitions(wry_remote PRIVATE _GNU_SOURCE)
target_link_libraries(wry_remote PUBLIC wrytograph_static PkgConfig::GLIB PRIVATE PkgConfig::TELNET)

add_library(wry_serial STATIC ports/serial/devices.c ports/serial/serial.c ports/serial/tty.c)
target_include_directories(wry_serial PUBLIC ports)
target_compile_definitions(wry_serial PRIVATE _GNU_SOURCE)
target_link_libraries(wry_serial PUBLIC wry_remote PRIVATE PkgConfig::SERIALPORT)

add_library(wry_bench STATIC
    ports/bench/bench.c ports/bench/board_file.c ports/bench/pty.c ports/bench/serve.c)
target_include_directories(wry_bench PUBLIC ports)
target_compile_definitions(wry_bench PRIVATE _GNU_SOURCE)
target_link_libraries(wry_bench PUBLIC wry_base wry_sim wry_serial PkgConfig::GLIB PRIVATE PkgConfig::CYAML)

add_library(wry_store STATIC
    store/archive.c store/archive_json.c store/image_file.c store/journal.c store/layout_file.c
    store/pending_file.c store/spool.c store/units.c)
target_include_directories(wry_store PUBLIC ${PROJECT_SOURCE_DIR})
target_compile_definitions(wry_store PRIVATE _GNU_SOURCE)
target_link_libraries(wry_store PUBLIC wry_base wrytograph_static PkgConfig::GLIB
    PRIVATE PkgConfig::JSON PkgConfig::YAML PkgConfig::ZIP PkgConfig::SQLITE)

add_executable(gauge_images demo/gauge_images.c demo/firmware_like.c)
target_link_libraries(gauge_images PRIVATE wrytograph_static)

file(GLOB WRY_CLI_SOURCES CONFIGURE_DEPENDS cli/*.c)
add_executable(wrytograph ${WRY_CLI_SOURCES})
target_compile_definitions(wrytograph PRIVATE _GNU_SOURCE WRY_VERSION="${PROJECT_VERSION}")
target_link_libraries(wrytograph PRIVATE wry_bench wry_serial wry_store PkgConfig::GLIB PkgConfig::JSON)
