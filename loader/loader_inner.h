/* Declarations shared by the files of the loader. Each block names its file. */
#ifndef WRY_LOADER_INNER_H
#define WRY_LOADER_INNER_H

#include "wrytograph/loader.h"

static inline uint32_t loader_least(uint32_t a, uint32_t b)
{
    return a < b ? a : b;
}

static inline bool loader_is_down(const struct wry_loader *loader)
{
    return (loader->write.flags & WRY_FLAG_DOWN) != 0;
}

/* The flash offset of the n bytes of the write job from a position on. */
static inline uint32_t loader_write_address(const struct wry_loader *loader, uint32_t position,
                                            uint32_t n)
{
    const struct wry_loader_write *write = &loader->write;

    return loader_is_down(loader) ? write->end - (position - write->start) - n : position;
}

static inline bool loader_is_lzma(uint8_t coding)
{
    return coding >= WRY_CODING_LZMA && coding <= WRY_CODING_LZMA_OLD;
}

/* Bytes of the job's stream decoded so far. */
static inline uint32_t loader_stream_unpacked(const struct wry_loader *loader)
{
    return loader_is_lzma(loader->write.coding) ? loader->lzma->total : loader->inflate->total;
}

/* Copies decoded content from a position on that is still in the dictionary. */
static inline void loader_stream_copy(const struct wry_loader *loader, uint32_t position,
                                      uint8_t *to, uint32_t n)
{
    uint32_t at = position - loader->write.start;

    for (uint32_t i = 0; i < n; i++)
        to[i] = loader->dictionary[(at + i) & (loader->layout.dictionary - 1)];
}

/* flash_part.c: detection of the part. */
/* Wakes the part; loader_flash_await does the rest. */
void loader_flash_start(struct wry_loader *loader);
/* True while detection goes on: the part may be busy from before a reset. */
bool loader_flash_await(struct wry_loader *loader);
/* Detects it again. */
void loader_flash_identify(struct wry_loader *loader);
/* Returns it to the state that the chip expects. */
void loader_flash_leave(struct wry_loader *loader);

/* flash_table.c: SFDP, JESD216. */
/* Sets three or four address bytes by its size, and the usual units. */
void loader_flash_assume_usual(struct wry_loader *loader);
/* Replaces those by what its tables report, if it has tables. */
void loader_flash_read_tables(struct wry_loader *loader);

/* flash_lines.c: reading over several data lines. */
/* Tries the ways of part.reads on what the flash holds. The slice is used. */
void loader_flash_choose_lines(struct wry_loader *loader);
/* Tries them on this page, which the flash holds, if none could be tried yet. */
void loader_flash_learn(struct wry_loader *loader, uint32_t offset, const uint8_t *page);
/* Goes back to one line. */
void loader_flash_read_plainly(struct wry_loader *loader);

/* flash_commands.c: commands of the NOR flash. */
void loader_flash_command(struct wry_loader *loader, uint8_t command);
void loader_flash_ask(struct wry_loader *loader, const uint8_t *out, size_t n, uint8_t *in,
                      size_t room);
void loader_flash_look_at_protection(struct wry_loader *loader);
#define WRY_LOADER_UNPROTECTED UINT32_MAX
/* The first protected offset of the range, as far as the bits are understood. */
uint32_t loader_flash_protected(struct wry_loader *loader, uint32_t offset, uint32_t length);
/* An operation at offset had no effect: true if protection may be the reason. */
bool loader_flash_refused(struct wry_loader *loader, uint32_t offset);
/* Begins to clear the protection. False if there is none. */
bool loader_flash_unprotect(struct wry_loader *loader);
bool loader_flash_busy(struct wry_loader *loader);
/* True if its status reads as all ones, as if there were no part. */
bool loader_flash_is_silent(struct wry_loader *loader);
void loader_flash_read(struct wry_loader *loader, uint32_t offset, uint8_t *to, size_t n);
/* The stored command that erases so many bytes (4, 32 or 64 KiB); 0: the part has none. */
uint8_t *loader_flash_unit(struct wry_loader *loader, uint32_t length);
/* length is a unit of the part, and offset a multiple of it. */
void loader_flash_erase(struct wry_loader *loader, uint32_t offset, uint32_t length);
/* Programs one page. */
void loader_flash_program(struct wry_loader *loader, uint32_t offset, const uint8_t *page);

/* content.c: which content is settled, and whether hashed content is still valid. */
/* A job will still change [start, end); both equal: it is complete. */
void loader_content_unsettled(struct wry_loader *loader, uint32_t start, uint32_t end);
/* The first offset of [start, end) that is not settled; end if all of it is. */
uint32_t loader_content_settled(const struct wry_loader *loader, uint32_t start, uint32_t end);
/* Starts a watch: a later change within [start, end) breaks it. */
void loader_content_watch(struct wry_loader *loader, uint32_t start, uint32_t end);
/* The content of a range changes now. */
void loader_content_changes(struct wry_loader *loader, uint32_t offset, uint32_t length);

/* memory.c */
void loader_memory_divide(struct wry_loader *loader, void *memory, size_t size);
/* Divides it for a job, with old content or without. */
void loader_memory_use(struct wry_loader *loader, bool with_old);

/* stream_unpack.c: jobs with streams. */
/* False in a loader built without codings: it reserves no memory for them. */
bool loader_stream_is_built_in(void);
enum loader_stream_step {
    LOADER_STREAM_IDLE,
    LOADER_STREAM_BUSY,
    LOADER_STREAM_WRONG, /* the stream is invalid, or ends before the range is full */
};
/* Bits of the branch filters that it knows. */
uint8_t loader_stream_filters(const struct wry_loader *loader);
/* True if this loader can decode the job's stream. flags: of the request. */
bool loader_stream_can(const struct wry_loader *loader, const struct wry_erase_message *erase,
                       uint8_t flags);
void loader_stream_begin(struct wry_loader *loader, const struct wry_erase_message *erase);
/* True if old content must be saved before it is erased. */
bool loader_stream_keeps_old(const struct wry_loader *loader);
/* The job's content is available up to this position. */
uint32_t loader_stream_ready(const struct wry_loader *loader);
/* True if the next block may be erased: no earlier content needs what the ring of old content would
 * lose. */
bool loader_stream_may_erase(const struct wry_loader *loader);
/* True if the page at a position is available. */
bool loader_stream_has_page(const struct wry_loader *loader, uint32_t position);
/* Restores a page of a filtered stream in advance, if it is available. */
void loader_stream_prepare(struct wry_loader *loader);
const uint8_t *loader_stream_page(struct wry_loader *loader, uint32_t position);
/* Between two operations of the flash: reads what decoding waits for. */
void loader_stream_fetch(struct wry_loader *loader);
/* Decodes one slice if there is room. */
enum loader_stream_step loader_stream_step(struct wry_loader *loader);

enum loader_unpacked {
    LOADER_UNPACKED_SOME,
    LOADER_UNPACKED_ALL, /* the stream has ended */
    LOADER_UNPACKED_WRONG,
};

/* lzma_unpack.c; a loader can be built without. */
bool loader_lzma_is_built_in(void);
bool loader_lzma_can(const struct wry_erase_message *erase);
void loader_lzma_begin(struct wry_loader *loader, uint8_t parameters);
/* Decodes at most room bytes; *used is the number of input bytes used. */
enum loader_unpacked loader_lzma_run(struct wry_loader *loader, const uint8_t *bytes, uint32_t n,
                                     uint32_t room, uint32_t *used);

/* Reads what the decoder waits for, at most room bytes; false if it does not wait. */
bool loader_lzma_fetch(struct wry_loader *loader, uint32_t room);
/* A page of a job from the end down. */
const uint8_t *loader_lzma_page(struct wry_loader *loader, uint32_t position);

/* stream_filter.c */
void loader_filter_begin(struct wry_loader *loader, uint8_t filter);
/* Bytes beyond a page that must be available with it; 0 if the stream is not filtered. */
uint32_t loader_filter_ahead(const struct wry_loader *loader);
/* The page as it goes to the flash; pages are asked for in order. */
const uint8_t *loader_filter_page(struct wry_loader *loader, uint32_t position);

/* old_content.c: what the flash held before the job. */
/* Saves n bytes before their erase; they do not wrap around the ring. */
void loader_old_keep(struct wry_loader *loader, uint32_t offset, const uint8_t *bytes, uint32_t n);
/* Copies up to n bytes; returns their number, 0 while the flash is busy. *lost: they are gone. */
uint32_t loader_old_fetch(struct wry_loader *loader, uint32_t source, uint8_t *to, uint32_t n,
                          bool *lost);

/* difference_apply.c: new content from old. */
/* Computes one slice. */
enum loader_stream_step loader_difference_step(struct wry_loader *loader);

/* range.c: true if the range is within the flash; otherwise an error is sent. */
bool loader_range_fits(struct wry_loader *loader, const struct wry_message *message,
                       struct wry_range_message *range);

/* frame_output.c: outgoing frames. */
bool loader_output_has_room(const struct wry_loader *loader, size_t body_length);
/* The caller has checked the room. */
void loader_output_frame(struct wry_loader *loader, const uint8_t *head, size_t head_length,
                         const uint8_t *payload, size_t payload_length);
void loader_output_error(struct wry_loader *loader, uint8_t of_kind, uint16_t seq, uint8_t code,
                         uint32_t offset);
/* True if data is still waiting to be sent. */
bool loader_output_drain(struct wry_loader *loader);

/* write_job.c: erase, window, program. */
void loader_write_request(struct wry_loader *loader, const struct wry_message *message);
void loader_write_data(struct wry_loader *loader, const struct wry_message *message);
/* Advances the flash operation and starts the next; false if there was nothing to do. */
bool loader_write_step(struct wry_loader *loader);
void loader_write_progress(struct wry_loader *loader, uint16_t seq);

/* erase_plan.c: the next erase unit. */
/* False if the next stretch must not begin yet. */
bool loader_erase_may_go_on(const struct wry_loader *loader);
/* Scans one slice; true once the current stretch is scanned. */
bool loader_erase_scan(struct wry_loader *loader);
/* Bytes of the unit to erase at write.erased; 0 if that sector is already blank. */
uint32_t loader_erase_unit(const struct wry_loader *loader);
#define WRY_LOADER_ERASED UINT32_MAX
/* The first sector of the operation in progress whose beginning is not blank. */
uint32_t loader_erase_stays(struct wry_loader *loader);

/* digest_job.c */
void loader_digest_request(struct wry_loader *loader, const struct wry_message *message);
/* True if the page is the next one that the digest needs. */
bool loader_digest_waits_for(const struct wry_loader *loader, uint32_t offset);
/* Offers a page that has just been read; it is hashed if it is the next one. */
void loader_digest_page(struct wry_loader *loader, uint32_t offset, const uint8_t *page);
/* Offers whole pages that were read and are blank; they are hashed later. */
void loader_digest_blanks(struct wry_loader *loader, uint32_t offset, uint32_t n);
/* True if a digest found this sector blank and it has not changed since. */
bool loader_digest_saw_blank(const struct wry_loader *loader, uint32_t sector);
/* spare: there is time to hash known blank content. */
bool loader_digest_step(struct wry_loader *loader, bool spare);

/* read_answer.c */
/* Sends one frame of the answer to a request. The caller has checked the room. */
void loader_read_send(struct wry_loader *loader, uint16_t seq, const struct wry_data_message *data);
/* Removes the n-th request. */
void loader_read_end(struct wry_loader *loader, size_t n);

/* read_job.c */
/* Drops all requests: the host repeats them. */
void loader_read_drop(struct wry_loader *loader);
void loader_read_request(struct wry_loader *loader, const struct wry_message *message);
bool loader_read_step(struct wry_loader *loader);

/* stream_cache.c: sent streams, for repeating lost parts. */
/* Takes the end of the memory that the encoder does not need. */
void loader_cache_divide(struct wry_loader *loader, size_t packing_most);
void loader_cache_drop(struct wry_loader *loader);
/* Stores a stream: its begin, n bytes of it, its end. */
void loader_cache_begin(struct wry_loader *loader, uint32_t start, uint32_t end);
void loader_cache_add(struct wry_loader *loader, const uint8_t *bytes, size_t n);
void loader_cache_end(struct wry_loader *loader);
/* True if a complete stream of the range is cached. */
bool loader_cache_has(const struct wry_loader *loader, uint32_t start, uint32_t end);
/* Ends the answer to a packed request with the length of its stream. */
void loader_cache_send_end(struct wry_loader *loader, const struct wry_loader_read *read,
                           uint32_t stream_length);
/* Sends some of the n-th request. False if it waits for the line. */
bool loader_cache_step(struct wry_loader *loader, size_t n);

/* packed_read.c */
/* Divides the memory of the encoder. */
void loader_packed_divide(struct wry_loader *loader);
/* True if there is enough memory. */
bool loader_packed_can(const struct wry_loader *loader);
/* Advances the first request, a packed one. False if it waits for the line. */
bool loader_packed_step(struct wry_loader *loader);
/* Restarts the stream in progress. */
void loader_packed_drop(struct wry_loader *loader);

#endif
