/* Phrases for status codes, and the version. */
#include "wrytograph/status.h"

#include "wrytograph/version.h"

const char *wry_version(void)
{
    return WRY_VERSION_TEXT;
}

const char *wry_status_text(enum wry_status status)
{
    switch (status) {
    case WRY_OK:
        return "done";
    case WRY_BAD_ARGUMENT:
        return "a documented rule of the call was broken";
    case WRY_BAD_RANGE:
        return "a range is empty, unaligned or beyond the end of the flash";
    case WRY_OVERLAP:
        return "two placements claim the same bytes";
    case WRY_SOURCE_FAILED:
        return "the content could not be read";
    case WRY_SINK_FAILED:
        return "content that was read could not be stored";
    case WRY_JOURNAL_FAILED:
        return "content at risk from an erase could not be stored";
    case WRY_NO_ANSWER:
        return "no answer in the protocol";
    case WRY_LINK_LOST:
        return "the link was lost";
    case WRY_PORT_GONE:
        return "the port is gone";
    case WRY_STALLED:
        return "the board answers but does not advance";
    case WRY_WRONG_BOARD:
        return "another board answered";
    case WRY_DIFFERS:
        return "the content differs";
    case WRY_CONTRADICTED:
        return "two answers of the board contradict each other";
    case WRY_FLASH_FAILED:
        return "a page does not have the content written to it";
    case WRY_FLASH_SILENT:
        return "the flash reports no usable JEDEC ID";
    case WRY_FLASH_UNSIZED:
        return "the size of the flash is not known";
    case WRY_FLASH_LIMITED:
        return "the flash cannot be erased sector by sector";
    case WRY_FLASH_SMALLER:
        return "the flash is smaller than it claims";
    case WRY_PROTECTED:
        return "the range is write-protected";
    case WRY_UNSUPPORTED:
        return "the board does not know the request";
    case WRY_REFUSED:
        return "the board refused the request";
    case WRY_STOPPED:
        return "stopped on request";
    }
    return "an unknown status";
}
