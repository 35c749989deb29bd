# Libraries that are not linked with, but loaded by name.

set(WRY_LAZY_FILES "")
set(WRY_LAZY_FOLDERS "")
set(WRY_LAZY_PACKAGES "")
set(WRY_LAZY_HEADERS "")

# wry_lazy(PACKAGE NAME HEADER): defines WRY_NAME_FILE as the name under which the system's loader knows
# the library of PkgConfig::PACKAGE, whose functions the header lists as NAME_CALLS.
function(wry_lazy package name header)
    set(file "${${package}_LINK_LIBRARIES}")
    list(FILTER file INCLUDE REGEX "/")
    list(GET file 0 file)
    execute_process(COMMAND ${CMAKE_READELF} -d ${file} OUTPUT_VARIABLE head COMMAND_ERROR_IS_FATAL ANY)
    if(NOT head MATCHES "SONAME[^\n]*\\[([^]]+)\\]")
        message(FATAL_ERROR "${file} has no name of a shared library")
    endif()
    set(WRY_LAZY_FILES ${WRY_LAZY_FILES} "WRY_${name}_FILE=\"${CMAKE_MATCH_1}\"" PARENT_SCOPE)
    set(WRY_LAZY_FOLDERS ${WRY_LAZY_FOLDERS} ${${package}_INCLUDE_DIRS} PARENT_SCOPE)
    set(WRY_LAZY_PACKAGES ${WRY_LAZY_PACKAGES} PkgConfig::${package} PARENT_SCOPE)
    set(WRY_LAZY_HEADERS "${WRY_LAZY_HEADERS}#include \"${header}\"\n" PARENT_SCOPE)
    set(WRY_LAZY_CALLS "${WRY_LAZY_CALLS}${name}_CALLS(CALL)\n" PARENT_SCOPE)
endfunction()

# A program that is linked with all of them and calls what is called: out of it a packager's tools find
# the packages and versions that the command depends on. Nobody runs or installs it.
function(wry_lazy_dependencies)
    set(source ${CMAKE_CURRENT_BINARY_DIR}/lazy_dependencies.c)
    file(WRITE ${source} "#define LAZY_LINKED\n${WRY_LAZY_HEADERS}
#define CALL(name) (void (*)(void))name,
static void (*volatile calls[])(void) = {${WRY_LAZY_CALLS}};
int main(void)
{
    return calls[0] == 0;
}
")
    add_executable(lazy_dependencies EXCLUDE_FROM_ALL ${source})
    target_include_directories(lazy_dependencies PRIVATE ${PROJECT_SOURCE_DIR})
    target_link_libraries(lazy_dependencies PRIVATE PkgConfig::GLIB ${WRY_LAZY_PACKAGES})
endfunction()
