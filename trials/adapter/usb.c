/* The device's end of USB/IP. */
#include "usb.h"

#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#define ATTACH "/sys/devices/platform/vhci_hcd.0/attach"

enum {
    SUBMIT = 1,
    UNLINK = 2,
    RET_SUBMIT = 3,
    RET_UNLINK = 4,
    HEADER = 48,
    DIRECTION_IN = 1,
    FULL_SPEED = 2,
    DEVICE_NUMBER = 0x10002,
    STALLED = -32,   /* EPIPE */
    UNLINKED = -104, /* ECONNRESET */
};

static uint32_t get32(const uint8_t *from)
{
    return (uint32_t)from[0] << 24 | (uint32_t)from[1] << 16 | (uint32_t)from[2] << 8 | from[3];
}

static void put32(uint8_t *to, uint32_t value)
{
    to[0] = (uint8_t)(value >> 24);
    to[1] = (uint8_t)(value >> 16);
    to[2] = (uint8_t)(value >> 8);
    to[3] = (uint8_t)value;
}

static bool move(int socket, uint8_t *bytes, size_t n, bool out)
{
    while (n > 0) {
        ssize_t done = out ? send(socket, bytes, n, MSG_NOSIGNAL) : recv(socket, bytes, n, 0);
        if (done <= 0)
            return false;
        bytes += done;
        n -= (size_t)done;
    }
    return true;
}

bool usb_plug_in(struct usb *usb, unsigned port, const struct usb_device *device)
{
    int pair[2];
    char text[64];

    memset(usb, 0, sizeof *usb);
    usb->device = *device;
    usb->socket = -1;
    if (socketpair(AF_UNIX, SOCK_STREAM, 0, pair) != 0)
        return false;
    int attach = open(ATTACH, O_WRONLY);
    int n = snprintf(text, sizeof text, "%u %d %d %d", port, pair[1], DEVICE_NUMBER, FULL_SPEED);
    bool taken = attach >= 0 && write(attach, text, (size_t)n) == n;
    if (attach >= 0)
        close(attach);
    close(pair[1]);
    if (taken)
        usb->socket = pair[0];
    else
        close(pair[0]);
    return taken;
}

void usb_unplug(struct usb *usb)
{
    if (usb->socket >= 0)
        close(usb->socket);
    usb->socket = -1;
    usb->waiting_count = 0;
}

static void answer(struct usb *usb, uint32_t command, uint32_t number, int status,
                   const uint8_t *bytes, size_t n, size_t counted)
{
    uint8_t out[HEADER + 4096] = {0};

    put32(out, command);
    put32(out + 4, number);
    put32(out + 20, (uint32_t)status);
    if (command == RET_SUBMIT)
        put32(out + 24, (uint32_t)counted);
    if (n > 0)
        memcpy(out + HEADER, bytes, n);
    move(usb->socket, out, HEADER + n, true);
}

static void take_control(struct usb *usb, uint32_t number, const uint8_t *raw)
{
    struct usb_setup setup = {.type = raw[0],
                              .request = raw[1],
                              .value = (uint16_t)(raw[2] | raw[3] << 8),
                              .index = (uint16_t)(raw[4] | raw[5] << 8),
                              .length = (uint16_t)(raw[6] | raw[7] << 8)};
    uint8_t in[4096];
    int n = usb->device.control(usb->device.context, &setup, in, sizeof in);
    size_t length = n > setup.length ? setup.length : (size_t)(n > 0 ? n : 0);

    answer(usb, RET_SUBMIT, number, n < 0 ? STALLED : 0, in, length, length);
}

static void unlink_one(struct usb *usb, uint32_t number, uint32_t of)
{
    for (unsigned i = 0; i < usb->waiting_count; i++) {
        if (usb->waiting[i].number != of)
            continue;
        memmove(&usb->waiting[i], &usb->waiting[i + 1],
                (--usb->waiting_count - i) * sizeof usb->waiting[0]);
        answer(usb, RET_UNLINK, number, UNLINKED, NULL, 0, 0);
        return;
    }
    answer(usb, RET_UNLINK, number, 0, NULL, 0, 0);
}

bool usb_take(struct usb *usb)
{
    uint8_t header[HEADER], bytes[65536];

    if (!move(usb->socket, header, sizeof header, false))
        return false;
    uint32_t command = get32(header), number = get32(header + 4), length = get32(header + 24);
    bool in = get32(header + 12) == DIRECTION_IN;
    if (command == UNLINK) {
        unlink_one(usb, number, get32(header + 20));
        return true;
    }
    if (length > sizeof bytes || (!in && !move(usb->socket, bytes, length, false)))
        return false;
    if (get32(header + 16) == 0) {
        take_control(usb, number, header + 40);
    } else if (in && usb->waiting_count < USB_WAITING_MOST) {
        usb->waiting[usb->waiting_count].number = number;
        usb->waiting[usb->waiting_count++].room = length;
    } else {
        if (!in)
            usb->device.bulk_out(usb->device.context, bytes, length);
        answer(usb, RET_SUBMIT, number, 0, NULL, 0, length);
    }
    return true;
}

bool usb_is_asked(const struct usb *usb)
{
    return usb->waiting_count > 0;
}

void usb_give(struct usb *usb, const uint8_t *bytes, size_t n)
{
    uint32_t number = usb->waiting[0].number;

    memmove(&usb->waiting[0], &usb->waiting[1], --usb->waiting_count * sizeof usb->waiting[0]);
    answer(usb, RET_SUBMIT, number, 0, bytes, n, n);
}
