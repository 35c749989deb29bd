/*
 * Work of several threads that one of them does for all: what costs the same for many as for one,
 * as making sure that a file is on the disk.
 *
 *     struct group_commit mine = {.key = path, .work = &work};
 *     if (!group_commit_join(&mine)) {
 *         for (struct group_commit *each = &mine; each; each = each->next)
 *             each->good = do_it(each->work);
 *         group_commit_finish(&mine);
 *     }
 *     return mine.good;
 */
#ifndef WRY_BASE_TOGETHER_H
#define WRY_BASE_TOGETHER_H

#include <stdbool.h>

struct group_commit {
    const char *key; /* only work of the same key is done together */
    void *work;
    bool good; /* as who did it says */
    bool over; /* inner use, as next for who does not lead */
    struct group_commit *next;
};

/* Waits while another thread works for this key. True: it was done meanwhile. False: this thread
 * has to do all from mine on, by next, and then to call group_commit_finish. */
bool group_commit_join(struct group_commit *mine);
void group_commit_finish(struct group_commit *mine);

#endif
