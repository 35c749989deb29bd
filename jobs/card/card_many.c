/* A card on many boards at once, with a thread for each, so that no board waits for another. */
#include "jobs/card/card.h"
#include "jobs/station/station_problem.h"
#include "pack/content_packer.h"
#include "pack/shared.h"
#include "wrytograph-host/card.h"
#include "wrytograph-host/units.h"
#include "wrytograph-host/words.h"

#define TURN_TIME 100000 /* us */

struct many {
    const struct wry_run_options *options;
    GMutex lock;
    GCond changed;
    GHashTable *addresses; /* addresses of boards that may use a row */
    size_t ended;
    struct pack_shared *shared; /* encoded streams, shared by boards with equal content */
};

struct place {
    struct many *many;
    struct wry_many_board *board;
    GThread *thread;
};

/* Accepts the first board with an address. Others with the same address get no row during this
 * call. */
static bool claim_address(void *context, const uint8_t eui48[WRY_EUI48_SIZE])
{
    struct many *many = context;

    g_mutex_lock(&many->lock);
    bool is_first = g_hash_table_add(many->addresses, wry_units_address(eui48));
    g_mutex_unlock(&many->lock);
    return is_first;
}

static void run_board(struct many *many, struct wry_many_board *board)
{
    struct wry_station *station = wry_station_new(&board->settings);
    struct wry_run_options options = *many->options;

    pack_share(station->pack, many->shared);
    if (options.card->card->table) {
        options.may_have_row = claim_address;
        options.context = many;
    }
    board->outcome = wry_station_run(station, &options, &board->result);
    const struct wry_problem *problem = wry_station_problem(station);
    if (board->outcome != WRY_OUTCOME_DONE) {
        g_autofree char *sentence = wry_problem_sentence(problem);
        g_autofree char *advice = wry_problem_advice(problem);
        board->words = wry_station_masked(station, sentence);
        board->advice = advice ? wry_station_masked(station, advice) : NULL;
        board->cause = wry_problem_cause(problem);
    }
    board->simulated = wry_station_is_simulated(station);
    wry_station_free(station);
}

static gpointer run_place(gpointer data)
{
    const struct place *place = data;
    struct many *many = place->many;

    run_board(many, place->board);
    g_atomic_int_set(&place->board->ended, 1);
    g_mutex_lock(&many->lock);
    many->ended++;
    g_cond_signal(&many->changed);
    g_mutex_unlock(&many->lock);
    return NULL;
}

void wry_many_board_clear(struct wry_many_board *board)
{
    g_clear_pointer(&board->words, g_free);
    g_clear_pointer(&board->advice, g_free);
    wry_run_result_clear(&board->result);
}

bool wry_many_has_ended(const struct wry_many_board *board)
{
    return g_atomic_int_get(&board->ended) != 0;
}

void wry_run_many(const struct wry_run_options *options, struct wry_many_board *boards,
                  size_t count, void (*turn)(void *context), void *context)
{
    struct many many = {.options = options,
                        .addresses = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL),
                        .shared = pack_shared_new()};
    struct place *places = g_new0(struct place, count);
    bool over = false;

    g_mutex_init(&many.lock);
    g_cond_init(&many.changed);
    for (size_t i = 0; i < count; i++) {
        places[i] = (struct place){.many = &many, .board = &boards[i]};
        places[i].thread = g_thread_new("board", run_place, &places[i]);
    }
    while (!over) {
        int64_t end = g_get_monotonic_time() + TURN_TIME;
        g_mutex_lock(&many.lock);
        while (many.ended < count && g_cond_wait_until(&many.changed, &many.lock, end))
            ;
        over = many.ended == count;
        g_mutex_unlock(&many.lock);
        turn(context);
    }
    for (size_t i = 0; i < count; i++)
        g_thread_join(places[i].thread);
    pack_shared_free(many.shared);
    g_hash_table_unref(many.addresses);
    g_mutex_clear(&many.lock);
    g_cond_clear(&many.changed);
    g_free(places);
}
