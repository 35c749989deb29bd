/*
 * Group commit: one of several threads does the work of all waiting ones, where this costs as much
 * for many as for one, such as an fsync.
 *
 *     struct group_commit mine = {.key = path, .work = &work};
 *
 *     if (!group_commit_join(&mine)) {
 *         for (struct group_commit *each = &mine; each; each = each->next)
 *             each->good = do_it(each->work);
 *         group_commit_finish(&mine);
 *     }
 *     return mine.good;
 */
#pragma once

#include <stdbool.h>

struct group_commit {
    const char *key; /* work of equal keys is done together */
    void *work;
    bool good;                 /* the result, set by the thread that does the work */
    bool over;                 /* for group_commit.c alone */
    struct group_commit *next; /* for the leader: the next in the batch, or NULL */
};

/* Waits while another thread leads for this key. True: that thread has done the work of mine as
 * well. False: this thread leads; it must do all work from mine on, following next, and then call
 * group_commit_finish. mine must not move until then. */
bool group_commit_join(struct group_commit *mine);
void group_commit_finish(struct group_commit *mine);
