/*
 * Group commit. With many boards at work, changes of several journals arrive at the same moment,
 * and each would cost an fsync. The first thread to arrive commits all queued changes in one
 * transaction on its own connection; the others wait for its result. A change therefore runs on a
 * connection that may not be its journal's own: db is exchanged for the duration of apply().
 */
#include "store/journal/journal_commit.h"

#include "base/group_commit.h"
#include "store/db/database.h"

static struct journal_change *change_of(const struct group_commit *queued)
{
    return queued->work;
}

/* Copies the leader's problem to the journal of every change in [first, end). */
static void share_problem(const struct journal *leader, const struct group_commit *first,
                          const struct group_commit *end)
{
    for (const struct group_commit *each = first; each != end; each = each->next) {
        struct journal *owner = change_of(each)->journal;
        if (owner == leader)
            continue;
        g_free(owner->problem);
        owner->problem = g_strdup(leader->problem);
    }
}

static bool apply_on(struct journal *leader, struct journal_change *change)
{
    sqlite3 *own = change->journal->db;

    change->journal->db = leader->db;
    bool applied = change->apply(change->journal, change);
    change->journal->db = own;
    return applied;
}

/* Commits [first, end) in one transaction. *begun is false if the write lock was not free in time;
 * nothing has been tried then. */
static bool commit_batch(struct journal *leader, struct group_commit *first,
                         const struct group_commit *end, bool *begun)
{
    bool done = *begun = journal_execute(leader, "BEGIN IMMEDIATE");

    if (!*begun)
        share_problem(leader, first, end);
    for (struct group_commit *each = first; each != end && done; each = each->next)
        done = apply_on(leader, change_of(each));
    if (done) {
        done = journal_execute(leader, "COMMIT");
        if (!done)
            share_problem(leader, first, end);
    }
    if (*begun && !done)
        database_rollback(leader->db);
    return done;
}

/* Commits the whole queue or, if that fails, each change alone, so that one bad change does not
 * fail the others. A time-out of the lock is not repeated for each: it would add up to minutes. */
static void commit_queue(struct journal *leader, struct group_commit *first)
{
    bool begun = false, all = commit_batch(leader, first, NULL, &begun);

    for (struct group_commit *each = first; each; each = each->next)
        each->good = all;
    for (struct group_commit *each = first; first->next && each && begun && !all;
         each = each->next) {
        each->good = commit_batch(leader, each, each->next, &begun);
        if (!begun)
            share_problem(leader, each, NULL);
    }
}

bool journal_commit(struct journal_change *change)
{
    struct group_commit mine = {.key = change->journal->path, .work = change};

    if (!group_commit_join(&mine)) {
        commit_queue(change->journal, &mine);
        group_commit_finish(&mine);
    }
    return mine.good;
}
