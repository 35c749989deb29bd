# The freestanding parts: the host library and the board's loader.

set(WRY_FREESTANDING -ffreestanding -fno-builtin-printf)

set(WRY_CORE_SOURCES
    core/status/status.c
    core/bytes/blank.c core/bytes/branch_filter.c core/bytes/fields.c core/bytes/crc32.c core/bytes/deflate.c core/bytes/difference.c
    core/bytes/huffman.c core/bytes/inflate.c core/bytes/lzma.c core/bytes/sha256.c
    core/wire/frame_decoder.c core/wire/frame_encoder.c core/wire/message.c core/wire/protect.c
    core/image/boot_header.c core/image/module_image.c core/image/intel_hex.c core/image/parser.c
    core/image/s_record.c core/image/settings_block.c
    core/flash/chip.c core/flash/layout.c core/flash/flash_plan.c core/flash/reader.c core/flash/region.c
    core/flash/region_table.c
    core/session/capacity_check.c core/session/choice.c core/session/compose.c core/session/connect.c
    core/session/cost.c core/session/pieces.c core/session/measure.c core/session/look.c core/session/digest.c core/session/write_estimate.c core/session/fault.c core/session/hash.c core/session/hello.c core/session/exchange.c
    core/session/known.c core/session/merge.c
    core/session/rate_control.c core/session/read_request.c core/session/read.c core/session/read_ask.c core/session/sectors.c core/session/send.c
    core/session/recover.c core/session/speed.c core/session/stream_coding.c core/session/unpack.c core/session/verify_range.c
    core/transfer/xmodem.c core/transfer/xmodem_receive.c core/transfer/xmodem_send.c
    core/session/wait.c core/session/window.c core/session/write_spans.c core/session/write_part.c)

# What the loader shares with the core and no public header declares.
set(WRY_INNER_SOURCES core/bytes/fields.c core/wire/frame_decoder.c core/wire/frame_encoder.c)

# Without its codings the loader takes and gives content as it is, in half the room.
option(WRY_LOADER_CODINGS "The loader unpacks, packs and puts differences together" ON)
option(WRY_LOADER_LZMA "It unpacks LZMA too" ON)
if(WRY_LOADER_CODINGS)
    set(WRY_LOADER_CODING_SOURCES loader/difference_apply.c loader/old_content.c loader/packed_read.c loader/stream_cache.c loader/stream_filter.c loader/stream_unpack.c)
    if(WRY_LOADER_LZMA)
        list(APPEND WRY_LOADER_CODING_SOURCES loader/lzma_unpack.c)
    else()
        list(APPEND WRY_LOADER_CODING_SOURCES loader/plain/no_lzma.c)
    endif()
else()
    set(WRY_LOADER_CODING_SOURCES loader/plain/plain.c)
endif()
set(WRY_LOADER_SOURCES ${WRY_LOADER_CODING_SOURCES}
    loader/content.c loader/digest_job.c loader/erase_plan.c loader/flash_commands.c loader/flash_lines.c loader/flash_part.c loader/flash_table.c loader/loader.c loader/memory.c loader/frame_output.c
    loader/range.c loader/read_answer.c loader/read_job.c loader/write_job.c)

# One set of position-independent objects serves the static and the shared library.
add_library(wry_core_objects OBJECT ${WRY_CORE_SOURCES})
set_target_properties(wry_core_objects PROPERTIES POSITION_INDEPENDENT_CODE ON)
target_compile_options(wry_core_objects PRIVATE ${WRY_FREESTANDING})
target_include_directories(wry_core_objects PRIVATE include core)

get_property(WRY_SHARED GLOBAL PROPERTY TARGET_SUPPORTS_SHARED_LIBS)
set(WRY_KINDS STATIC)
if(WRY_SHARED)
    list(APPEND WRY_KINDS SHARED)
endif()
foreach(kind ${WRY_KINDS})
    string(TOLOWER ${kind} suffix)
    add_library(wrytograph_${suffix} ${kind} $<TARGET_OBJECTS:wry_core_objects>)
    set_target_properties(wrytograph_${suffix} PROPERTIES
        OUTPUT_NAME wrytograph EXPORT_NAME ${suffix}
        VERSION ${PROJECT_VERSION} SOVERSION ${PROJECT_VERSION_MAJOR}.${PROJECT_VERSION_MINOR})
    target_include_directories(wrytograph_${suffix} PUBLIC
        $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/include>
        $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>)
endforeach()
# What files of the library share stays inside it.
if(CMAKE_SYSTEM_NAME STREQUAL "Linux")
    target_link_options(wrytograph_shared PRIVATE
        "-Wl,--version-script=${PROJECT_SOURCE_DIR}/cmake/exports.map")
    set_property(TARGET wrytograph_shared APPEND PROPERTY
        LINK_DEPENDS ${PROJECT_SOURCE_DIR}/cmake/exports.map)
endif()

add_library(wry_loader STATIC ${WRY_LOADER_SOURCES})
set_target_properties(wry_loader PROPERTIES OUTPUT_NAME wrytograph-loader EXPORT_NAME loader)
target_compile_options(wry_loader PRIVATE ${WRY_FREESTANDING})
target_include_directories(wry_loader PRIVATE core)
target_link_libraries(wry_loader PUBLIC wrytograph_static)
