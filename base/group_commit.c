/* The queue of waiting work, and the threads that lead a batch. */
#include "group_commit.h"

#include <glib.h>

static GMutex lock;
static GCond changed;
static struct group_commit *waiting; /* in order of arrival, not in a batch yet */
static GSList *leaders;              /* struct group_commit of the leaders, one per key */

static bool is_led(const char *key)
{
    for (const GSList *leader = leaders; leader; leader = leader->next) {
        if (g_strcmp0(((const struct group_commit *)leader->data)->key, key) == 0)
            return true;
    }
    return false;
}

static void take_from_waiting(struct group_commit *one)
{
    struct group_commit **at = &waiting;

    while (*at != one)
        at = &(*at)->next;
    *at = one->next;
    one->next = NULL;
}

/* Moves all waiting work of the same key into the batch of mine, in order of arrival. */
static void take_all(struct group_commit *mine)
{
    struct group_commit **last = &mine->next;

    take_from_waiting(mine);
    for (struct group_commit *each = waiting, *next; each; each = next) {
        next = each->next;
        if (g_strcmp0(each->key, mine->key) != 0)
            continue;
        take_from_waiting(each);
        *last = each;
        last = &each->next;
    }
}

bool group_commit_join(struct group_commit *mine)
{
    struct group_commit **last = &waiting;

    mine->over = false;
    mine->next = NULL;
    g_mutex_lock(&lock);
    while (*last)
        last = &(*last)->next;
    *last = mine;
    while (!mine->over && is_led(mine->key))
        g_cond_wait(&changed, &lock);
    bool over = mine->over;
    if (!over) {
        take_all(mine);
        leaders = g_slist_prepend(leaders, mine);
    }
    g_mutex_unlock(&lock);
    return over;
}

void group_commit_finish(struct group_commit *mine)
{
    g_mutex_lock(&lock);
    leaders = g_slist_remove(leaders, mine);
    /* Once over is set, the owner may return, and its struct is gone: read next before. */
    for (struct group_commit *each = mine->next, *next; each; each = next) {
        next = each->next;
        each->over = true;
    }
    g_cond_broadcast(&changed);
    g_mutex_unlock(&lock);
}
