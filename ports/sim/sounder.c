/* A simulated echo sounder. */
#include "sounder.h"

#include <stdio.h>
#include <string.h>

#include "wrytograph/bytes.h"
#include "wrytograph/module_image.h"

#define WAIT_FOR_SENDER 60000000u /* us */

static bool is_there(struct sim_sounder *sounder)
{
    if (!sounder->cells && sounder->supply && !sounder->faults.missing)
        sounder->cells = sounder->supply(sounder->context);
    return sounder->cells && !sounder->faults.missing;
}

static void print(struct sim_sounder *sounder, const char *text)
{
    sounder->length = (size_t)snprintf(sounder->text, sizeof sounder->text, "%s\r\n", text);
    sounder->said = 0;
}

/* What is wrong with the image in its flash; NULL if it is valid. */
static const char *check(const struct sim_sounder *sounder, struct wry_module_image *image)
{
    if (!wry_module_image_get(image, sounder->cells) || image->kind != WRY_MODULE_ECHO_SOUNDER)
        return "no program";
    if (image->body_length > SIM_SOUNDER_SIZE - WRY_MODULE_IMAGE_HEAD)
        return "program is too long";
    if (wry_crc32(0, sounder->cells + WRY_MODULE_IMAGE_HEAD, image->body_length) != image->body_crc)
        return "program is damaged";
    return NULL;
}

bool sim_sounder_open(struct sim_sounder *sounder)
{
    if (!is_there(sounder))
        return false;
    sounder->state = SIM_SOUNDER_MENU;
    sounder->updates = false;
    print(sounder, "echo sounder, boot menu\r\nu: update by XMODEM, v: version, r: run");
    return true;
}

void sim_sounder_version(struct sim_sounder *sounder, char *text, size_t room)
{
    struct wry_module_image image;

    if (!is_there(sounder)) {
        snprintf(text, room, "no echo sounder answers\r\n");
        return;
    }
    const char *wrong = check(sounder, &image);
    snprintf(text, room, "%s%s\r\n", wrong ? "echo sounder: " : "", wrong ? wrong : image.version);
}

static void begin_update(struct sim_sounder *sounder, uint64_t now)
{
    struct wry_xmodem_options options = {
        .speed = 115200, .start_time = WAIT_FOR_SENDER, .sum_only = sounder->faults.sum_only};

    sounder->state = SIM_SOUNDER_RECEIVING;
    sounder->updates = true;
    sounder->filled = 0;
    wry_xmodem_receive_begin(&sounder->receive, &options, now);
    print(sounder, "send the image");
}

static void choose(struct sim_sounder *sounder, uint8_t key, uint64_t now)
{
    struct wry_module_image image;
    char text[64];

    if (key == 'u') {
        begin_update(sounder, now);
    } else if (key == 'v') {
        sim_sounder_version(sounder, text, sizeof text);
        text[strcspn(text, "\r")] = '\0';
        print(sounder, text);
    } else if (key == 'r') {
        const char *wrong = check(sounder, &image);
        snprintf(text, sizeof text, wrong ? "%s" : "%s runs", wrong ? wrong : image.version);
        print(sounder, text);
        if (!wrong)
            sounder->state = SIM_SOUNDER_APART;
    }
}

/* The first block has the head: nothing is erased for an image that is not for this module. */
static const char *refusal(const struct sim_sounder *sounder, const uint8_t *content)
{
    struct wry_module_image image;

    if (sounder->faults.refuses)
        return "image refused: for another revision";
    if (!wry_module_image_get(&image, content) || image.kind != WRY_MODULE_ECHO_SOUNDER)
        return "image refused: not for an echo sounder";
    if (image.body_length > SIM_SOUNDER_SIZE - WRY_MODULE_IMAGE_HEAD)
        return "image refused: too long";
    return NULL;
}

static void keep(struct sim_sounder *sounder, const uint8_t *content, size_t n)
{
    const char *wrong = sounder->filled == 0 ? refusal(sounder, content) : NULL;

    if (!wrong && n > SIM_SOUNDER_SIZE - sounder->filled)
        wrong = "image refused: too long";
    if (wrong) {
        wry_xmodem_receive_cancel(&sounder->receive);
        print(sounder, wrong);
        sounder->state = SIM_SOUNDER_MENU;
        return;
    }
    if (sounder->filled == 0)
        memset(sounder->cells, 0xFF, SIM_SOUNDER_SIZE);
    memcpy(sounder->cells + sounder->filled, content, n);
    sounder->filled += (uint32_t)n;
    if (sounder->faults.dies > 0 && sounder->filled >= sounder->faults.dies)
        sounder->state = SIM_SOUNDER_DEAD;
}

static void conclude(struct sim_sounder *sounder)
{
    struct wry_module_image image;
    char text[64];

    if (sounder->state != SIM_SOUNDER_RECEIVING || sounder->receive.state == WRY_XMODEM_RUNNING)
        return;
    sounder->state = SIM_SOUNDER_MENU;
    if (sounder->receive.state == WRY_XMODEM_FAILED) {
        print(sounder, "update failed");
        return;
    }
    const char *wrong = check(sounder, &image);
    snprintf(text, sizeof text, wrong ? "image refused: %s" : "image accepted: %s",
             wrong ? wrong : image.version);
    print(sounder, text);
}

void sim_sounder_input(struct sim_sounder *sounder, uint8_t byte, uint64_t now)
{
    const uint8_t *content;

    if (sounder->state == SIM_SOUNDER_MENU)
        choose(sounder, byte, now);
    if (sounder->state != SIM_SOUNDER_RECEIVING)
        return;
    wry_xmodem_receive_input(&sounder->receive, byte, now);
    size_t n = wry_xmodem_receive_content(&sounder->receive, &content);
    if (n > 0)
        keep(sounder, content, n);
    conclude(sounder);
}

size_t sim_sounder_output(struct sim_sounder *sounder, uint8_t *to, size_t room, uint64_t now)
{
    const uint8_t *bytes;
    size_t n = 0, left = sounder->length - sounder->said;

    if (sounder->state == SIM_SOUNDER_DEAD)
        return 0;
    /* Its protocol's last words come before its text; its first after it. */
    if (sounder->updates && (sounder->state == SIM_SOUNDER_MENU || left == 0))
        n = wry_xmodem_receive_output(&sounder->receive, now, &bytes);
    if (n > 0) {
        memcpy(to, bytes, n);
        return n;
    }
    conclude(sounder);
    left = sounder->length - sounder->said;
    n = left < room ? left : room;
    memcpy(to, sounder->text + sounder->said, n);
    sounder->said += n;
    return n;
}
