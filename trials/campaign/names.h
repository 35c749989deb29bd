/* Faults and works in words. */
#ifndef WRY_CAMPAIGN_NAMES_H
#define WRY_CAMPAIGN_NAMES_H

#include "schedule.h"

extern const char *const fault_names[FAULTS];
extern const char *const work_names[WORKS];

#endif
