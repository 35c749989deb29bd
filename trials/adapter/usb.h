/*
 * A USB device that the kernel takes for a real one, by USB/IP: this end is the device. The
 * kernel's virtual host controller (vhci-hcd) is given one end of a pair of sockets.
 *
 *     struct usb usb;
 *     usb_plug_in(&usb, port, &device);
 *     ... poll usb.socket ...
 *     usb_take(&usb);
 *
 * USB/IP: Documentation/usb/usbip_protocol.rst of the Linux kernel. USB 2.0, chapter 9.
 */
#ifndef WRY_TRIALS_USB_H
#define WRY_TRIALS_USB_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum { USB_WAITING_MOST = 64, USB_PACKET = 64 };

struct usb_setup {
    uint8_t type, request;
    uint16_t value, index, length;
};

/* What the device does. Bytes to answer a control request with go to in; the length, or -1. */
struct usb_device {
    void *context;
    int (*control)(void *context, const struct usb_setup *setup, uint8_t *in, size_t room);
    void (*bulk_out)(void *context, const uint8_t *bytes, size_t n);
};

struct usb {
    int socket; /* -1: not plugged in */
    struct usb_device device;
    struct {
        uint32_t number; /* of the request */
        uint32_t room;
    } waiting[USB_WAITING_MOST]; /* requests for input, oldest first */
    unsigned waiting_count;
};

/* Into that port of the controller; false when the kernel refuses. */
bool usb_plug_in(struct usb *usb, unsigned port, const struct usb_device *device);
void usb_unplug(struct usb *usb);

/* One request of the kernel. False when it has let go of the device. */
bool usb_take(struct usb *usb);

/* True when input is wanted. */
bool usb_is_asked(const struct usb *usb);
/* Answers the oldest request for input; n is at most its room, and 64. */
void usb_give(struct usb *usb, const uint8_t *bytes, size_t n);

#endif
