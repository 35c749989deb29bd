/* Whether two speeds are close enough to communicate. */
#ifndef WRY_POSIX_SPEED_H
#define WRY_POSIX_SPEED_H

#include <stdbool.h>
#include <stdint.h>

#define SPEED_TOLERANCE_PERCENT 2u /* the other end may be off by as much */

static inline bool speed_is_near(uint32_t baud, uint32_t wanted)
{
    uint32_t apart = baud > wanted ? baud - wanted : wanted - baud;

    return (uint64_t)apart * 100 <= (uint64_t)wanted * SPEED_TOLERANCE_PERCENT;
}

#endif
