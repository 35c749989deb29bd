/* Secret settings of a job: known so that they can be kept out of logs and of the ledger. */
#ifndef WRY_JOBS_MASKING_H
#define WRY_JOBS_MASKING_H

#include "images.h"
#include "report.h"

/* Takes in the secret values of all settings that are written. */
void masking_learn(struct wry_station *station, const struct wry_held *held);

/* text with each of them as ********; free with g_free. */
char *masking_apply(const struct wry_station *station, const char *text);

#endif
