/*
 * Work of several threads that one of them does for all: what costs the same for many as for one,
 * as making sure that a file is on the disk.
 *
 *     struct together mine = {.key = path, .work = &work};
 *     if (!together_join(&mine)) {
 *         for (struct together *each = &mine; each; each = each->next)
 *             each->good = do_it(each->work);
 *         together_finish(&mine);
 *     }
 *     return mine.good;
 */
#ifndef WRY_BASE_TOGETHER_H
#define WRY_BASE_TOGETHER_H

#include <stdbool.h>

struct together {
    const char *key; /* only work of the same key is done together */
    void *work;
    bool good; /* as who did it says */
    bool over; /* inner use, as next for who does not lead */
    struct together *next;
};

/* Waits while another thread works for this key. True: it was done meanwhile. False: this thread
 * has to do all from mine on, by next, and then to call together_finish. */
bool together_join(struct together *mine);
void together_finish(struct together *mine);

#endif
