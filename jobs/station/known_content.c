/* Known content in a job. */
#include "jobs/station/known_content.h"

#include "jobs/station/link.h"
#include "store/file/file_cache.h"
#include "store/image/image_file.h"
#include "store/shelf/known_index.h"
#include "store/shelf/known_lookup.h"

/* Simulated boards have a separate index, in their bench folder. */
static char *index_folder(const struct wry_station *station)
{
    g_autofree char *board = station->bench ? open_bench_board_folder(station) : NULL;

    return board ? g_path_get_dirname(board) : known_default_folder();
}

/* False if there is no usable index. */
static bool open_index(struct wry_station *station)
{
    g_autofree char *folder = index_folder(station);
    g_autoptr(GError) error = NULL;

    if (station->settings.without_known)
        return false;
    if (!station->known && !station->known_failed) {
        station->known = known_open(folder, station->settings.stop, &error);
        station->known_failed = station->known == NULL;
        if (station->known_failed)
            station_note(station, WRY_NOTE_KNOWN_UNUSABLE, error->message);
    }
    return station->known != NULL;
}

void known_content_begin(struct wry_station *station)
{
    if (!open_index(station))
        return;
    known_set_flash(station->known, wry_session_board(&station->session)->capacity);
    wry_session_set_known(&station->session, known_interface(station->known));
}

void known_content_stop(struct wry_station *station)
{
    wry_session_set_known(&station->session, NULL);
}

void known_content_close(struct wry_station *station)
{
    known_close(station->known);
    station->known = NULL;
}

void known_content_note_file(struct wry_station *station, const struct image_file *file,
                             uint32_t start)
{
    static GMutex
        lock; /* many boards may get one image: the first thread adds it, the others find it */
    uint32_t within = start % WRY_SECTOR_SIZE;
    g_autofree char *folder = index_folder(station);
    struct file_fact indexed = {
        .kind = FILE_FACT_INDEXED, .number = within, .path = file->path, .folder = folder};

    memcpy(indexed.sha256, file->sha256, sizeof indexed.sha256);
    /* The index refers to files; content that was decoded or unpacked is not in a file. */
    if (!open_index(station) || file->format != WRY_IMAGE_RAW || file->spool)
        return;
    g_mutex_lock(&lock);
    if (!file_cache_knows(&indexed)) {
        known_note_image(station->known, file->path, within > 0 ? WRY_SECTOR_SIZE - within : 0,
                         file->length);
        file_cache_learn(&indexed);
    }
    g_mutex_unlock(&lock);
}

void known_content_note_archive(struct wry_station *station, const char *path,
                                const struct archive *archive)
{
    if (open_index(station))
        known_note_archive(station->known, path, archive);
}

void known_content_tell(const struct wry_station *station, const struct wry_session_stats *before,
                        struct wry_done *done)
{
    const struct wry_session_stats *now = &station->session.stats;
    const char *name = station->known ? known_best_name(station->known) : NULL;

    done->bytes_known = now->bytes_known - before->bytes_known;
    done->differences = now->differences - before->differences;
    done->guesses_wrong = now->guesses_wrong - before->guesses_wrong;
    done->content_sent = now->content_sent - before->content_sent;
    g_strlcpy(done->known_name, name ? name : "", sizeof done->known_name);
}
