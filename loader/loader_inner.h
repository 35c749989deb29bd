/* What the files of the loader share. Each block names the file that holds it. */
#ifndef WRY_LOADER_INNER_H
#define WRY_LOADER_INNER_H

#include "wrytograph/loader.h"

static inline uint32_t loader_least(uint32_t a, uint32_t b)
{
    return a < b ? a : b;
}

/* flash_part.c: what part the flash is. */
/* Wakes it; loader_flash_await does the rest. */
void loader_flash_start(struct wry_loader *loader);
/* True while it is not known yet: it may be busy from before a reset. */
bool loader_flash_await(struct wry_loader *loader);
/* Asks it anew. */
void loader_flash_identify(struct wry_loader *loader);
/* Leaves it to the chip as the chip wants it. */
void loader_flash_leave(struct wry_loader *loader);

/* flash_table.c: what it says of itself, JESD216. */
/* Three address bytes or four by its size, and the usual units. */
void loader_flash_assume_usual(struct wry_loader *loader);
/* What its tables name takes the place of that; nothing changes where it has none. */
void loader_flash_read_tables(struct wry_loader *loader);

/* flash.c: commands of the NOR flash. */
void loader_flash_command(struct wry_loader *loader, uint8_t command);
void loader_flash_ask(struct wry_loader *loader, const uint8_t *out, size_t n, uint8_t *in,
                      size_t room);
void loader_flash_look_at_protection(struct wry_loader *loader);
#define WRY_LOADER_UNPROTECTED UINT32_MAX
/* The first offset of the range that the block-protect bits lock, as far as they are understood. */
uint32_t loader_flash_protected(struct wry_loader *loader, uint32_t offset, uint32_t length);
/* What was tried at offset had no effect: true when protection may be the reason. */
bool loader_flash_refused(struct wry_loader *loader, uint32_t offset);
/* Begins to clear the protection. False when there is none. */
bool loader_flash_unprotect(struct wry_loader *loader);
bool loader_flash_busy(struct wry_loader *loader);
/* Its status is all ones, as that of a part that is not there. */
bool loader_flash_is_silent(struct wry_loader *loader);
void loader_flash_read(struct wry_loader *loader, uint32_t offset, uint8_t *to, size_t n);
/* Where the command is kept that erases so many bytes (4, 32 or 64 KiB); 0: the part has none. */
uint8_t *loader_flash_unit(struct wry_loader *loader, uint32_t length);
/* length is a unit that the part has, and offset a multiple of it. */
void loader_flash_erase(struct wry_loader *loader, uint32_t offset, uint32_t length);
/* One page. */
void loader_flash_program(struct wry_loader *loader, uint32_t offset, const uint8_t *page);

/* content.c: what of the flash is settled, and whether what was hashed still holds. */
/* A job has yet to change [start, end); equal when it is through. */
void loader_content_unsettled(struct wry_loader *loader, uint32_t start, uint32_t end);
/* The first offset of [start, end) that is not settled; end when all is. */
uint32_t loader_content_settled(const struct wry_loader *loader, uint32_t start, uint32_t end);
/* From now on, a change within [start, end) breaks the watch. */
void loader_content_watch(struct wry_loader *loader, uint32_t start, uint32_t end);
/* The content of a range changes, or is about to. */
void loader_content_changes(struct wry_loader *loader, uint32_t offset, uint32_t length);

/* memory.c */
void loader_memory_divide(struct wry_loader *loader, void *memory, size_t size);

/* stream.c: content that is unpacked here. */
/* False in a loader without codings: no memory is kept for them. */
bool loader_stream_is_built_in(void);
enum loader_stream_step {
    LOADER_STREAM_IDLE,
    LOADER_STREAM_BUSY,
    LOADER_STREAM_WRONG, /* it is no stream, or ends before the range is full */
};
/* True when a job's stream is of a kind that this loader takes. */
bool loader_stream_can(const struct wry_loader *loader, const struct wry_erase_message *erase);
void loader_stream_begin(struct wry_loader *loader, uint8_t coding);
bool loader_stream_is_difference(const struct wry_loader *loader);
/* Content of the job up to this flash offset is there. */
uint32_t loader_stream_ready(const struct wry_loader *loader);
const uint8_t *loader_stream_page(const struct wry_loader *loader, uint32_t offset);
/* The next block may be erased: no content before it needs what that would overwrite. */
bool loader_stream_may_erase(const struct wry_loader *loader);
/* Unpacks a little, as far as there is room. */
enum loader_stream_step loader_stream_step(struct wry_loader *loader);

/* difference.c: new content from old. */
/* Puts a little together. */
enum loader_stream_step loader_difference_step(struct wry_loader *loader);
/* n bytes of old content that will be erased; they do not cross the ring's end. */
void loader_difference_keep(struct wry_loader *loader, uint32_t offset, const uint8_t *bytes,
                            uint32_t n);

/* range.c: true when the range lies within the flash; otherwise the error is sent. */
bool loader_range_fits(struct wry_loader *loader, const struct wry_message *message,
                       struct wry_range_message *range);

/* frame_output.c: frames on their way out. */
bool loader_output_has_room(const struct wry_loader *loader, size_t body_length);
/* The caller has checked the room. */
void loader_output_frame(struct wry_loader *loader, const uint8_t *head, size_t head_length,
                         const uint8_t *payload, size_t payload_length);
void loader_output_error(struct wry_loader *loader, uint8_t of_kind, uint16_t seq, uint8_t code,
                         uint32_t offset);
/* True when something is still to be sent. */
bool loader_output_drain(struct wry_loader *loader);

/* write_job.c: erase, window, program. */
void loader_write_request(struct wry_loader *loader, const struct wry_message *message);
void loader_write_data(struct wry_loader *loader, const struct wry_message *message);
/* Advances the flash operation and starts the next; false when it had nothing to do. */
bool loader_write_step(struct wry_loader *loader);
void loader_write_progress(struct wry_loader *loader, uint16_t seq);

/* erase_plan.c: which unit to erase next. */
/* False while the next stretch must not be taken in hand yet. */
bool loader_erase_may_go_on(const struct wry_loader *loader);
/* Scans on for what is not blank; true when the stretch in hand is known. */
bool loader_erase_scan(struct wry_loader *loader);
/* Length of the unit to erase at write.erased, 0 when that sector is blank already. */
uint32_t loader_erase_unit(const struct wry_loader *loader);
#define WRY_LOADER_ERASED UINT32_MAX
/* Where the start of a sector of the operation under way is not blank. */
uint32_t loader_erase_stays(struct wry_loader *loader);

/* digest_job.c */
void loader_digest_request(struct wry_loader *loader, const struct wry_message *message);
/* True when the page is the next one whose content is not known yet. */
bool loader_digest_waits_for(const struct wry_loader *loader, uint32_t offset);
/* A page as it has just been read from the flash: hashed at once, where it is the next one due. */
void loader_digest_page(struct wry_loader *loader, uint32_t offset, const uint8_t *page);
/* Whole pages that were read and are blank, those of them that are due: hashed when there is time.
 */
void loader_digest_blanks(struct wry_loader *loader, uint32_t offset, uint32_t n);
/* True when a digest came past this sector, which was blank and still is. */
bool loader_digest_saw_blank(const struct wry_loader *loader, uint32_t sector);
/* spare: there is time for what is known to be blank. */
bool loader_digest_step(struct wry_loader *loader, bool spare);

/* read_answer.c */
/* One frame of the answer to a request. The caller has checked the room. */
void loader_read_send(struct wry_loader *loader, uint16_t seq, const struct wry_data_message *data);
/* The n-th request is done with. */
void loader_read_end(struct wry_loader *loader, size_t n);

/* read_job.c */
/* All requests are dropped: the host asks anew. */
void loader_read_drop(struct wry_loader *loader);
void loader_read_request(struct wry_loader *loader, const struct wry_message *message);
bool loader_read_step(struct wry_loader *loader);

/* past_stream.c: streams that were sent, for what of them was lost. */
/* Takes the end of the memory that packing has no use for. */
void loader_cache_divide(struct wry_loader *loader, size_t packing_most);
void loader_cache_drop(struct wry_loader *loader);
/* A stream of the range is begun; n bytes of it; it is over. */
void loader_cache_begin(struct wry_loader *loader, uint32_t start, uint32_t end);
void loader_cache_add(struct wry_loader *loader, const uint8_t *bytes, size_t n);
void loader_cache_end(struct wry_loader *loader);
/* True when all of it is still there. */
bool loader_cache_has(const struct wry_loader *loader, uint32_t start, uint32_t end);
/* Ends the answer to a packed request, whose stream has so many bytes. */
void loader_cache_send_end(struct wry_loader *loader, const struct wry_loader_read *read,
                           uint32_t stream_length);
/* A little of the n-th request. False when it waits for the line. */
bool loader_cache_step(struct wry_loader *loader, size_t n);

/* packed_read.c */
/* Divides the memory that packing has. */
void loader_packed_divide(struct wry_loader *loader);
/* There is memory enough. */
bool loader_packed_can(const struct wry_loader *loader);
/* A little of the first request, which is a packed one. False when it waits for the line. */
bool loader_packed_step(struct wry_loader *loader);
/* What is under way begins anew. */
void loader_packed_drop(struct wry_loader *loader);

#endif
