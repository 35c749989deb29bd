/* Waiting for boards. */
#include "card_place.h"

#include <string.h>
#include <unistd.h>

#include "wrytograph-host/serial.h"
#include "wrytograph-host/words.h"

#define LOOK_EVERY 300000 /* us */
#define CALL_TIME 700000u /* us to wait for the answer of a board that may be absent */

static void wait_a_little(void)
{
    g_usleep(LOOK_EVERY);
}

static bool goes_on(const struct card_place *place)
{
    return place->goes_on && place->goes_on(place->context);
}

/* Ports that appear. */

static GHashTable *look_at_ports(void)
{
    g_autoptr(GPtrArray) devices = wry_serial_devices();
    GHashTable *ports = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < devices->len; i++) {
        const struct wry_serial_device *device = g_ptr_array_index(devices, i);
        g_hash_table_add(ports, g_strdup(device->path));
    }
    return ports;
}

/* A new port since the last check; NULL when the user stops. */
static char *wait_for_port(struct card_place *place)
{
    while (!place->is_over(place->context)) {
        GHashTable *now = look_at_ports();
        GHashTableIter iter;
        gpointer path;
        char *found = NULL;
        g_hash_table_iter_init(&iter, now);
        while (!found && g_hash_table_iter_next(&iter, &path, NULL)) {
            if (!g_hash_table_contains(place->ports, path))
                found = g_strdup(path);
        }
        g_hash_table_unref(place->ports);
        place->ports = now;
        if (found)
            return found;
        wait_a_little();
    }
    return NULL;
}

/* A fixed link. */

/* A link that cannot be opened is not an absent board: it is reported, once for each reason. A
 * permanent problem ends the loop. */
static void tell_trouble(struct card_place *place, const struct wry_problem *problem)
{
    g_autofree char *words = NULL;

    if (problem->kind == WRY_PROBLEM_SESSION || problem->kind == WRY_PROBLEM_STOPPED)
        return;
    words = wry_problem_sentence(problem);
    if (problem->outcome == WRY_OUTCOME_USAGE) {
        place->is_bad = true;
        place->outcome = problem->outcome;
        place->sentence = g_steal_pointer(&words);
        place->advice = wry_problem_advice(problem);
        return;
    }
    if (g_strcmp0(words, place->trouble) == 0)
        return;
    g_autofree char *text = g_strdup_printf("%s; waiting until that changes.", words);
    place->tell(place->context, text);
    g_free(place->trouble);
    place->trouble = g_steal_pointer(&words);
}

static bool is_lost_port(const char *link)
{
    return g_path_is_absolute(link) && access(link, F_OK) != 0;
}

enum presence { AWAY, THERE, NOT_KNOWN };

/* Calls the board and gets its address. A link used by another program proves nothing about the
 * board; a missing port means that it is gone. */
static enum presence call_board(struct card_place *place, uint8_t eui48[WRY_EUI48_SIZE])
{
    /* The starting speed is enough; a raw connection has its own. */
    bool fixed = g_str_has_prefix(place->link, "tcp://");
    struct wry_station_settings settings = {.link = place->link,
                                            .bench_folder = place->settings.bench_folder,
                                            .wiring = place->settings.wiring,
                                            .call_speed = place->settings.call_speed,
                                            .max_speed = fixed ? 0 : WRY_STARTING_SPEED,
                                            .call_time = CALL_TIME,
                                            .without_known = true,
                                            .leaves_running = true,
                                            .stop = place->settings.stop};
    struct wry_station *station = wry_station_new(&settings);
    enum presence presence = AWAY;

    if (wry_station_connect(station) == WRY_OUTCOME_DONE) {
        presence = THERE;
        memcpy(eui48, wry_station_board(station)->eui48, WRY_EUI48_SIZE);
    } else {
        const struct wry_problem *problem = wry_station_problem(station);
        if (problem->kind != WRY_PROBLEM_SESSION && !is_lost_port(place->link))
            presence = NOT_KNOWN;
        tell_trouble(place, problem);
    }
    wry_station_free(station);
    return presence;
}

void card_place_begin(struct card_place *place)
{
    place->ports = place->link ? NULL : look_at_ports();
}

void card_place_end(struct card_place *place)
{
    if (place->ports)
        g_hash_table_unref(place->ports);
    g_free(place->sentence);
    g_free(place->advice);
    g_free(place->trouble);
}

char *card_place_wait(struct card_place *place)
{
    uint8_t eui48[WRY_EUI48_SIZE];

    if (!place->link)
        return wait_for_port(place);
    while (!place->is_over(place->context) && !place->is_bad) {
        if (goes_on(place) || call_board(place, eui48) == THERE)
            return g_strdup(place->link);
        wait_a_little();
    }
    return NULL;
}

bool card_place_wait_gone(struct card_place *place, const char *link,
                          const struct wry_run_result *done)
{
    uint8_t eui48[WRY_EUI48_SIZE];

    while (!place->is_over(place->context)) {
        enum presence presence = place->link          ? call_board(place, eui48)
                                 : is_lost_port(link) ? AWAY
                                                      : THERE;
        if (presence == AWAY || goes_on(place))
            return true;
        if (presence == THERE && place->link && done->known &&
            memcmp(eui48, done->address, sizeof eui48) != 0)
            return true;
        wait_a_little();
    }
    return false;
}
