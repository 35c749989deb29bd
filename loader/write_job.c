/*
 * Write jobs: erase, window and program.
 *
 * There is one job at a time, over a range of whole sectors. Three positions advance through it:
 * programmed <= received, and programmed <= erased. They count from the start of the range; in a
 * job from the end down they count the same, but the flash is done from the end on. Content waits
 * in the window, a ring of pages that begins at programmed; pages may arrive in any order and
 * repeatedly. Programming has priority over erasing ahead, so that the window empties as fast as
 * possible.
 */
#include "loader_inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

enum {
    LOOK_SLICE = 1024, /* bytes scanned in one step */
    SCANNED_LEAST = 8, /* bytes looked at in a page that is not blank */
    TELL_EVERY =
        0x4000, /* bytes programmed between reports of a stream, from which the host can resume */
    REPORT_EVERY = 4096, /* bytes programmed between progress messages */
};

static bool is_stream(const struct wry_loader_write *write)
{
    return (write->flags & WRY_FLAG_STREAM) != 0;
}

static uint32_t slot_of(const struct wry_loader *loader, uint32_t offset)
{
    return offset / WRY_PAGE_SIZE % loader->layout.window_pages;
}

static bool has_arrived(const struct wry_loader *loader, uint32_t offset)
{
    return bits_has(loader->write.arrived, slot_of(loader, offset));
}

/* The first page of the window; for a stream, the page being decoded. */
static uint32_t window_base(const struct wry_loader_write *write)
{
    return is_stream(write) ? write->consumed - write->consumed % WRY_PAGE_SIZE : write->programmed;
}

/* The end of a stream is not known yet. */
static uint32_t window_limit(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t window = (uint32_t)loader->layout.window_pages * WRY_PAGE_SIZE;
    uint32_t left = is_stream(write) ? window : write->end - write->programmed;

    return window_base(write) + (left < window ? left : window);
}

static bool is_programming(const struct wry_loader_write *write)
{
    return write->state == WRY_JOB_RUNNING && (write->flags & WRY_FLAG_PROGRAM) != 0;
}

/* Tells digests what the job will still change. */
static void tell_settled(struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t mark = write->flags & WRY_FLAG_PROGRAM ? write->programmed : write->looked;

    if (write->state != WRY_JOB_RUNNING)
        loader_content_unsettled(loader, mark, mark);
    else if (loader_is_down(loader))
        loader_content_unsettled(loader, write->start, loader_write_address(loader, mark, 0));
    else
        loader_content_unsettled(loader, mark, write->end);
}

static void finish(struct wry_loader *loader, uint8_t state, uint8_t error, uint32_t offset)
{
    loader->write.state = state;
    loader->write.error = error;
    loader->write.error_offset = offset;
    loader->progress_due = true;
    tell_settled(loader);
}

static void accept(struct wry_loader *loader, const struct wry_message *message)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_range_message range = {.offset = loader->write.start,
                                      .length = loader->write.end - loader->write.start};
    size_t n = wry_message_put_range(head, WRY_KIND_ERASE | WRY_KIND_REPLY, message->flags,
                                     message->seq, &range);

    if (loader_output_has_room(loader, n))
        loader_output_frame(loader, head, n, NULL, 0);
}

void loader_write_request(struct wry_loader *loader, const struct wry_message *message)
{
    struct wry_loader_write *write = &loader->write;
    struct wry_range_message range;
    struct wry_erase_message erase;

    if (!loader_range_fits(loader, message, &range))
        return;
    if (loader->part.limit != WRY_FLASH_FULL) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_FLASH_LIMIT,
                            range.offset);
        return;
    }
    wry_message_get_erase(message, &erase);
    bool streams = (message->flags & WRY_FLAG_STREAM) != 0;
    if (streams ? !loader_stream_can(loader, &erase, message->flags)
                : (message->flags & WRY_FLAG_DOWN) != 0) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_UNSUPPORTED,
                            range.offset);
        return;
    }
    if ((range.offset | range.length) % WRY_SECTOR_SIZE != 0) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_BAD_RANGE, range.offset);
        return;
    }
    bool repeated = write->state != WRY_JOB_NONE && write->seq == message->seq &&
                    write->start == range.offset && write->end == range.offset + range.length;
    if (!repeated && write->state == WRY_JOB_RUNNING) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_BUSY, write->start);
        return;
    }
    bool clears = (message->flags & WRY_FLAG_CLEAR) != 0;
    uint32_t locked = loader_flash_protected(loader, range.offset, range.length);
    if (!repeated && !clears && locked != WRY_LOADER_UNPROTECTED) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_PROTECTED, locked);
        return;
    }
    if (!repeated) {
        memset(write, 0, sizeof *write);
        write->state = WRY_JOB_RUNNING;
        loader_read_drop(loader); /* the job needs the memory of packed reads */
        write->flags = message->flags;
        write->seq = message->seq;
        write->start = range.offset;
        write->end = range.offset + range.length;
        write->erased = write->programmed = write->received = write->reported = write->start;
        write->looked = write->start;
        write->scan = write->scan_end = write->start;
        write->coding = is_stream(write) ? erase.coding : 0;
        loader_memory_use(loader, wry_coding_needs_old(write->coding));
        if (is_stream(write))
            loader_stream_begin(loader, &erase);
        tell_settled(loader);
        /* If an operation of a cancelled job is still running, the flash is not protected. */
        if (clears && loader->op == WRY_OP_NONE && loader_flash_unprotect(loader))
            loader->op = WRY_OP_UNPROTECT;
    }
    accept(loader, message);
}

/* Stores a page in the window if there is room for it. */
static void keep_page(struct wry_loader *loader, uint32_t offset, const uint8_t *page)
{
    struct wry_loader_write *write = &loader->write;

    if (offset < window_base(write) || offset >= window_limit(loader) ||
        has_arrived(loader, offset))
        return;
    uint8_t *slot = loader->window + (size_t)slot_of(loader, offset) * WRY_PAGE_SIZE;
    if (page)
        memcpy(slot, page, WRY_PAGE_SIZE);
    else
        memset(slot, 0xFF, WRY_PAGE_SIZE);
    bits_add(write->arrived, slot_of(loader, offset));
}

void loader_write_data(struct wry_loader *loader, const struct wry_message *message)
{
    struct wry_loader_write *write = &loader->write;
    struct wry_data_message data;

    if (!wry_message_get_data(message, &data)) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_MALFORMED, 0);
        return;
    }
    loader->progress_due = true;
    if (!is_programming(write))
        return;
    bool within = is_stream(write)
                      ? data.encoding == WRY_ENCODING_STREAM
                      : data.encoding != WRY_ENCODING_STREAM && data.offset >= write->start &&
                            data.offset + data.length <= write->end;
    if ((data.offset | data.length) % WRY_PAGE_SIZE != 0 || !within) {
        loader_output_error(loader, message->kind, message->seq, WRY_ERROR_BAD_RANGE, data.offset);
        return;
    }
    for (uint32_t i = 0; i < data.length; i += WRY_PAGE_SIZE) {
        const uint8_t *page = data.encoding == WRY_ENCODING_BLANK ? NULL : data.payload + i;
        keep_page(loader, data.offset + i, page);
    }
    while (write->received < window_limit(loader) && has_arrived(loader, write->received))
        write->received += WRY_PAGE_SIZE;
}

static void page_programmed(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;

    if (!is_stream(write))
        bits_remove(write->arrived, slot_of(loader, write->programmed));
    write->programmed += WRY_PAGE_SIZE;
    tell_settled(loader);
    if (is_stream(write) ? write->programmed % TELL_EVERY == 0
                         : write->programmed - write->reported >= REPORT_EVERY)
        loader->progress_due = true;
    if (write->programmed == write->end)
        finish(loader, WRY_JOB_DONE, WRY_ERROR_NONE, 0);
}

/* The page to be programmed at offset. */
static const uint8_t *page_at(struct wry_loader *loader, uint32_t offset)
{
    return is_stream(&loader->write)
               ? loader_stream_page(loader, offset)
               : loader->window + (size_t)slot_of(loader, offset) * WRY_PAGE_SIZE;
}

/* The operation had no effect there. */
static void fail_at(struct wry_loader *loader, uint32_t offset)
{
    bool refused = loader_flash_refused(loader, offset);

    finish(loader, WRY_JOB_FAILED, refused ? WRY_ERROR_PROTECTED : WRY_ERROR_FLASH_FAILED, offset);
}

static bool holds_page(struct wry_loader *loader, uint32_t offset, const uint8_t *page)
{
    loader_flash_read(loader, offset, loader->slice, WRY_PAGE_SIZE);
    loader->port->worked(loader->port->context, WRY_WORK_COMPARE, WRY_PAGE_SIZE);
    return memcmp(page, loader->slice, WRY_PAGE_SIZE) == 0;
}

/* Reads a programmed page back: this finds worn or protected pages. What several lines read wrong,
 * one line must read. */
static void check_page(struct wry_loader *loader)
{
    const uint8_t *page = page_at(loader, loader->op_offset);
    uint32_t offset = loader_write_address(loader, loader->op_offset, WRY_PAGE_SIZE);
    bool holds = holds_page(loader, offset, page);

    if (!holds && loader->part.read_command != 0) {
        loader_flash_read_plainly(loader);
        holds = holds_page(loader, offset, page);
        /* The part may have ignored the command for four lines: it is programmed again. */
        if (!holds && wry_bytes_blank(loader->slice, WRY_PAGE_SIZE))
            return;
    }
    if (!holds) {
        fail_at(loader, offset);
        return;
    }
    loader_flash_learn(loader, offset, page);
    loader->page_in_slice = true;
    page_programmed(loader);
}

/*
 * A part that was never busy may have ignored the command because it lacks it, or because the range
 * is protected. A missing unit is not used again; smaller ones replace it.
 */
static void check_erase(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;
    uint32_t stays = loader->op_seen_busy ? WRY_LOADER_ERASED : loader_erase_stays(loader);

    if (stays == WRY_LOADER_ERASED)
        write->erased += loader->op_length;
    else if (loader->op_length > WRY_SECTOR_SIZE && loader->part.erase_4k != 0)
        *loader_flash_unit(loader, loader->op_length) = 0;
    else
        fail_at(loader, stays);
}

/* The operation has ended. A new session may have cancelled its job meanwhile. */
static void end_operation(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;
    enum wry_loader_op op = loader->op;

    loader->op = WRY_OP_NONE;
    if (write->state != WRY_JOB_RUNNING)
        return;
    if (op == WRY_OP_PROGRAM && write->programmed == loader->op_offset)
        check_page(loader);
    else if (op == WRY_OP_ERASE && write->erased == loader->op_offset)
        check_erase(loader);
    else if (op == WRY_OP_UNPROTECT && loader_flash_refused(loader, write->start))
        fail_at(loader, write->start);
    tell_settled(loader);
}

static void begin_operation(struct wry_loader *loader, enum wry_loader_op op, uint32_t position,
                            uint32_t length)
{
    loader->op = op;
    loader->op_offset = position;
    loader->op_length = length;
    loader->op_seen_busy = false;
    loader_content_changes(loader, loader_write_address(loader, position, length), length);
}

/* Hashes the page just read back while it is in memory. */
static void hash_checked(struct wry_loader *loader, uint32_t position)
{
    if (loader->page_in_slice)
        loader_digest_page(loader, loader_write_address(loader, position, WRY_PAGE_SIZE),
                           loader->slice);
    loader->page_in_slice = false;
}

/* Checks a page that needs no programming and should be blank; if it is not, the digest shows
 * it. */
static void look_at_page(struct wry_loader *loader, uint32_t position)
{
    uint32_t offset = loader_write_address(loader, position, WRY_PAGE_SIZE);

    if (!loader_digest_waits_for(loader, offset))
        return;
    loader_flash_read(loader, offset, loader->slice, WRY_PAGE_SIZE);
    loader->port->worked(loader->port->context, WRY_WORK_SCAN, WRY_PAGE_SIZE);
    if (wry_bytes_blank(loader->slice, WRY_PAGE_SIZE))
        loader_digest_blanks(loader, offset, WRY_PAGE_SIZE);
}

static void program_next(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;
    const uint8_t *page = page_at(loader, write->programmed);

    bool blank = wry_bytes_blank(page, WRY_PAGE_SIZE);
    loader->port->worked(loader->port->context, WRY_WORK_SCAN,
                         blank ? WRY_PAGE_SIZE : SCANNED_LEAST);
    if (blank) {
        hash_checked(loader, loader->op_offset);
        look_at_page(loader, write->programmed);
        page_programmed(loader);
        return;
    }
    loader_flash_program(loader, loader_write_address(loader, write->programmed, WRY_PAGE_SIZE),
                         page);
    begin_operation(loader, WRY_OP_PROGRAM, write->programmed, WRY_PAGE_SIZE);
}

/* False if it has to wait. */
static bool erase_next(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;

    if (!loader_erase_may_go_on(loader))
        return false;
    if (!loader_erase_scan(loader))
        return true;
    uint32_t unit = loader_erase_unit(loader);
    if (unit > 0) {
        loader_flash_erase(loader, loader_write_address(loader, write->erased, unit), unit);
        begin_operation(loader, WRY_OP_ERASE, write->erased, unit);
    } else {
        write->erased += WRY_SECTOR_SIZE;
        tell_settled(loader);
    }
    return true;
}

static bool has_page(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;

    return is_stream(write) ? loader_stream_has_page(loader, write->programmed)
                            : has_arrived(loader, write->programmed);
}

static bool can_program(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;

    return is_programming(write) && write->programmed < write->erased && has_page(loader);
}

/* Decodes while the flash is busy. */
static bool unpack(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;

    if (!is_programming(write) || !is_stream(write))
        return false;
    enum loader_stream_step step = loader_stream_step(loader);
    if (step == LOADER_STREAM_WRONG) {
        finish(loader, WRY_JOB_FAILED, WRY_ERROR_BAD_STREAM, write->programmed);
        /* The running operation no longer belongs to a job. */
        if (loader->op != WRY_OP_NONE)
            loader->op = WRY_OP_DROPPED;
    }
    return step != LOADER_STREAM_IDLE;
}

/*
 * Without content, erased sectors are checked for being blank before the next erase begins; a
 * waiting digest then has work meanwhile.
 */
static void look_next(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;
    uint32_t n = loader_least(LOOK_SLICE, write->erased - write->looked);

    loader_flash_read(loader, write->looked, loader->slice, n);
    loader->port->worked(loader->port->context, WRY_WORK_SCAN, n);
    for (uint32_t i = 0; i < n; i += WRY_PAGE_SIZE) {
        if (!wry_bytes_blank(loader->slice + i, WRY_PAGE_SIZE)) {
            fail_at(loader, write->looked + i);
            return;
        }
    }
    loader_digest_blanks(loader, write->looked, n);
    write->looked += n;
    tell_settled(loader);
}

/* Hashes the page read back while the flash programs the next one. */
static bool begin_next(struct wry_loader *loader, uint32_t checked)
{
    struct wry_loader_write *write = &loader->write;
    bool programs = write->state == WRY_JOB_RUNNING && can_program(loader);

    if (programs)
        program_next(loader);
    hash_checked(loader, checked);
    if (programs || write->state != WRY_JOB_RUNNING)
        return programs;
    if (!(write->flags & WRY_FLAG_PROGRAM) && write->looked < write->erased) {
        look_next(loader);
        return true;
    }
    if (write->erased < write->end)
        return erase_next(loader);
    if (!(write->flags & WRY_FLAG_PROGRAM)) {
        finish(loader, WRY_JOB_DONE, WRY_ERROR_NONE, 0);
        return true;
    }
    return false;
}

bool loader_write_step(struct wry_loader *loader)
{
    bool unpacked = unpack(loader);
    uint32_t ended = loader->op_offset;

    if (loader->op != WRY_OP_NONE) {
        if (loader_flash_busy(loader)) {
            loader->op_seen_busy = true;
            if (is_programming(&loader->write) && is_stream(&loader->write))
                loader_stream_prepare(loader);
            return unpacked;
        }
        end_operation(loader);
        /* Decoding goes on during the next operation. */
        if (is_programming(&loader->write) && loader->write.coding == WRY_CODING_LZMA_OLD)
            loader_stream_fetch(loader);
    }
    return begin_next(loader, ended) || unpacked;
}

static void fill_bitmap(const struct wry_loader *loader, struct wry_progress_message *progress)
{
    for (uint32_t page = 0; page < loader->layout.window_pages; page++) {
        uint32_t offset = loader->write.received + page * WRY_PAGE_SIZE;
        if (offset >= progress->limit)
            break;
        if (!has_arrived(loader, offset))
            continue;
        bits_add(progress->bitmap, page);
        progress->bitmap_length = (uint8_t)(page / 8 + 1);
    }
}

void loader_write_progress(struct wry_loader *loader, uint16_t seq)
{
    struct wry_loader_write *write = &loader->write;
    struct wry_progress_message progress = {
        .job = write->state,
        .error = write->error,
        .last_seq = loader->last_seq,
        .received = write->received,
        .limit = is_programming(write) ? window_limit(loader) : write->received,
        .erased = write->erased,
        .programmed = write->programmed,
        .digested = loader->digest.at,
        .error_offset = write->error_offset,
    };
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    if (is_programming(write))
        fill_bitmap(loader, &progress);
    size_t n = wry_message_put_progress(head, seq, &progress);
    if (!loader_output_has_room(loader, n))
        return;
    loader_output_frame(loader, head, n, NULL, 0);
    write->reported = is_stream(write) ? write->consumed : write->programmed;
    loader->progress_due = false;
}
