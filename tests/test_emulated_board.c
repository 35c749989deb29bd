/*
 * The loader on a board that others made: QEMU's sifive_u machine, whose flash is a file of this
 * computer. Whatever the command says, the file is compared with what it has to be, all of it.
 *
 * WRY_WORD is the processor's word size, 32 or 64. Skipped where emulator or compiler are missing.
 */
#include <arpa/inet.h>
#include <fcntl.h>
#include <glib.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include "command.h"
#include "harness.h"
#include "programs.h"
#include "rig.h"
#include "wrytograph/chip.h"

enum {
    FLASH = 0x2000000,
    SKIPPED = 77,
    KILLS = 15, /* for each word size */
    KILLS_APART = 6,
    LONGEST = 20000, /* ms that anything is waited for */
};

static uint8_t *flash; /* the file, as the emulator has it */
static uint8_t *model; /* and as it has to be */
static GPid emulator;
static char terminal[64]; /* the pseudo-terminal, when the serial port is one */
static unsigned port;

static const char *word(void)
{
    const char *said = g_getenv("WRY_WORD");

    return said ? said : "64";
}

/* The emulator's first line names the pseudo-terminal. */
static void boot(const char *serial)
{
    g_autofree char *program = g_strdup_printf("qemu-system-riscv%s", word());
    g_autofree char *kernel = g_strdup_printf("%s/loader-%s.elf", scratch(), word());
    g_autofree char *drive =
        g_strdup_printf("file=%s,format=raw,if=mtd", scratch_file("machine.bin"));
    const char *argv[] = {
        program, "-M",      "sifive_u", "-smp",   "2",        "-accel", "tcg,thread=single",
        "-bios", "none",    "-kernel",  kernel,   "-display", "none",   "-monitor",
        "none",  "-serial", serial,     "-drive", drive,      NULL};
    char line[256] = "";
    int out = -1;

    CHECK(g_spawn_async_with_pipes(NULL, (char **)(uintptr_t)argv, NULL,
                                   G_SPAWN_SEARCH_PATH | G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL,
                                   &emulator, NULL, &out, NULL, NULL));
    if (strcmp(serial, "pty") == 0) {
        for (size_t n = 0; n < sizeof line - 1 && read(out, line + n, 1) == 1 && line[n] != '\n';)
            line[++n] = '\0';
        const char *path = strstr(line, "/dev/");
        g_strlcpy(terminal, path ? path : "", sizeof terminal);
        terminal[strcspn(terminal, " ")] = '\0';
    }
    close(out);
}

static void power_off(void)
{
    if (emulator == 0)
        return;
    kill(emulator, SIGKILL);
    waitpid(emulator, NULL, 0);
    emulator = 0;
}

/* Until it listens. */
static void await_port(void)
{
    const struct sockaddr_in address = {.sin_family = AF_INET,
                                        .sin_port = htons((uint16_t)port),
                                        .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};

    for (unsigned ms = 0; ms < LONGEST; ms += 10) {
        int file = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
        int said = connect(file, (const struct sockaddr *)(const void *)&address, sizeof address);
        close(file);
        if (said == 0)
            return;
        g_usleep(10000);
    }
}

static void boot_on_tcp(void)
{
    g_autofree char *serial =
        g_strdup_printf("tcp:127.0.0.1:%u,server=on,wait=off,nodelay=on", port);
    g_autofree char *link = g_strdup_printf("tcp://127.0.0.1:%u?speed=2000000", port);

    boot(serial);
    g_setenv("WRYTOGRAPH_LINK", link, TRUE);
}

/* All of the flash. What an emulator has told its host to write is in the file soon. */
static bool flash_is_right(void)
{
    for (unsigned i = 0; i < LONGEST / 10; i++) {
        if (memcmp(flash, model, FLASH) == 0)
            return true;
        g_usleep(10000);
    }
    for (uint32_t at = 0; at < FLASH; at++) {
        if (flash[at] != model[at]) {
            printf("  first difference at 0x%06X\n", (unsigned)at);
            break;
        }
    }
    return false;
}

/* Content into a file and into the model; "OFFSET=FILE". */
static const char *content_at(uint32_t offset, const char *name, const uint8_t *bytes, size_t n)
{
    static char placement[256];

    scratch_write(name, bytes, n);
    memcpy(model + offset, bytes, n);
    g_snprintf(placement, sizeof placement, "0x%X=%s", (unsigned)offset, scratch_file(name));
    return placement;
}

static void it_says_what_it_is(void)
{
    struct said said = command("identify", NULL);

    EXPECT(0, "Dunlin D3", said);
    CHECK(says(&said, "32 MiB (256 Mbit), JEDEC ID 9D 70 19"));
    CHECK(says(&said, "protected unknown for this flash"));
    CHECK(flash_is_right());
}

static void a_program_is_written_and_known_again(void)
{
    struct wry_boot_header header = program_header("2.3.1", 20000);
    size_t n = 0;

    header.chip_code = WRY_CHIP_DUNLIN_D3;
    header.flash_size_log2 = 25;
    program_write("program.bin", &header);
    g_autofree uint8_t *bytes = scratch_read("program.bin", &n);
    EXPECT(0, "Written, and verified",
           command("write", content_at(0x30000, "p.bin", bytes, n), NULL));
    CHECK(flash_is_right());
    if (strcmp(word(), "64") != 0 || check_one_in(2) > 1)
        return; /* once, and where there is time: it takes long */
    struct said said = command("identify", "--deep", NULL);
    EXPECT(0, "2.3.1", said);
    CHECK(says(&said, "digest fits"));
    CHECK(says(&said, "the flash has its claimed size"));
}

static void odd_offsets_and_beyond_16_mib(void)
{
    static uint8_t bytes[20001];

    rig_random(bytes, sizeof bytes, 1);
    EXPECT(0, "Written, and verified",
           command("write", content_at(0x1000000 - 7777, "odd.bin", bytes, sizeof bytes), NULL));
    CHECK(flash_is_right());
    EXPECT(0, "agrees",
           command("verify", content_at(0x1000000 - 7777, "odd.bin", bytes, sizeof bytes), NULL));
    bytes[12345] ^= 1;
    scratch_write("odd.bin", bytes, sizeof bytes);
    g_autofree char *placement =
        g_strdup_printf("0x%X=%s", 0x1000000 - 7777, scratch_file("odd.bin"));
    EXPECT(6, "differ", command("verify", placement, NULL));
}

/* Bytes of content that went over the line, as the command's JSON has them. */
static unsigned long content_sent(const struct said *said)
{
    static const char name[] = "\"content_sent\" : ";
    const char *at = strstr(said->out, name);

    return at ? strtoul(at + strlen(name), NULL, 10) : ULONG_MAX;
}

static void packed_and_as_a_difference(void)
{
    static uint8_t bytes[60000];
    struct said said;

    for (size_t i = 0; i < sizeof bytes; i++)
        bytes[i] = (uint8_t)((size_t) "harbour tide gauge "[i % 19] + i / 4000);
    said = command("write", content_at(0x1200100, "text.bin", bytes, sizeof bytes), "--json", NULL);
    EXPECT(0, "\"written_and_checked\" : true", said);
    CHECK(content_sent(&said) < sizeof bytes / 8);
    CHECK(flash_is_right());
    /* What packs badly, and then the same with a few bytes more in the middle. */
    rig_random(bytes, sizeof bytes, 2);
    said =
        command("write", content_at(0x1200100, "first.bin", bytes, sizeof bytes), "--json", NULL);
    EXPECT(0, "\"written_and_checked\" : true", said);
    CHECK(content_sent(&said) > sizeof bytes / 2);
    memmove(bytes + 20016, bytes + 20000, sizeof bytes - 20016);
    /* At a speed at which the line, and not the flash, is what is waited for. */
    g_autofree char *slow = g_strdup_printf("tcp://127.0.0.1:%u", port);
    said = command("write", content_at(0x1200100, "second.bin", bytes, sizeof bytes), "--json",
                   "--link", slow, NULL);
    EXPECT(0, "\"written_and_checked\" : true", said);
    CHECK(content_sent(&said) < sizeof bytes / 8);
    CHECK(flash_is_right());
}

static void backed_up_erased_and_restored(void)
{
    const char *archive = scratch_file("part.zip");
    const char *part = "0xFF0000+0x40000";

    EXPECT(0, "", command("backup", archive, "--only", part, NULL));
    EXPECT(0, "Erased, and verified", command("erase", part, NULL));
    g_autofree uint8_t *was = g_memdup2(model + 0xFF0000, 0x40000);
    memset(model + 0xFF0000, 0xFF, 0x40000);
    CHECK(flash_is_right());
    EXPECT(0, "", command("restore", archive, "--without-backup", NULL));
    memcpy(model + 0xFF0000, was, 0x40000);
    CHECK(flash_is_right());
}

static void it_resets_and_answers_again(void)
{
    EXPECT(0, "", command("start", NULL));
    EXPECT(0, "Dunlin D3", command("identify", NULL));
    CHECK(flash_is_right());
}

/* The power goes at a moment of the write, while the same command goes on. */
static void cut(unsigned i)
{
    enum { LENGTH = 12000 };
    static uint8_t bytes[LENGTH];
    uint32_t offset = 0x40123 + (i % 3) * 0x1000 + (i % 2) * 0xFC0000;
    uint32_t watched = offset + (i * 2711) % LENGTH; /* cut once this byte is new, or erased */
    GPid pid;
    int status = 0;

    rig_random(bytes, sizeof bytes, i + 100);
    uint8_t before = model[watched];
    const char *argv[] = {command_path(), "write", content_at(offset, "cut.bin", bytes, LENGTH),
                          NULL};
    CHECK(g_spawn_async(NULL, (char **)(uintptr_t)argv, NULL,
                        G_SPAWN_DO_NOT_REAP_CHILD | G_SPAWN_STDOUT_TO_DEV_NULL, NULL, NULL, &pid,
                        NULL));
    for (unsigned ms = 0; ms < LONGEST && *(volatile uint8_t *)&flash[watched] == before; ms++)
        g_usleep(1000);
    power_off();
    boot_on_tcp();
    waitpid(pid, &status, 0);
    check_context("cut %u", i);
    CHECK(WIFEXITED(status) && WEXITSTATUS(status) == 0);
    CHECK(flash_is_right());
}

static void whatever_the_power_cuts_is_finished_by_the_same_command(void)
{
    for (unsigned i = 0; i < KILLS; i += check_one_in(KILLS_APART))
        cut(i);
}

static void at_a_true_115200(void)
{
    static uint8_t bytes[9000];
    g_autofree char *number = g_strdup_printf("%u", port);
    const char *argv[] = {peer("paced_line.py"), number, "115200", NULL};
    char line[32] = "";
    GPid pid;
    int out = -1;

    CHECK(g_spawn_async_with_pipes(NULL, (char **)(uintptr_t)argv, NULL, G_SPAWN_DO_NOT_REAP_CHILD,
                                   NULL, NULL, &pid, NULL, &out, NULL, NULL));
    CHECK(read(out, line, sizeof line - 1) > 0);
    g_autofree char *link = g_strdup_printf("tcp://127.0.0.1:%s", g_strchomp(line));
    g_setenv("WRYTOGRAPH_LINK", link, TRUE);
    rig_random(bytes, sizeof bytes, 9);
    struct said said =
        command("write", content_at(0x1300000, "paced.bin", bytes, sizeof bytes), NULL);
    EXPECT(0, "Written, and verified", said);
    CHECK(!says(&said, "damaged"));
    CHECK(flash_is_right());
    kill(pid, SIGTERM);
    waitpid(pid, NULL, 0);
    close(out);
}

static void over_a_pseudo_terminal(void)
{
    static uint8_t bytes[9000];

    power_off();
    boot("pty");
    g_setenv("WRYTOGRAPH_LINK", terminal, TRUE);
    EXPECT(0, "Dunlin D3", command("identify", "--wiring", "none", NULL));
    rig_random(bytes, sizeof bytes, 10);
    EXPECT(0, "Written, and verified",
           command("write", content_at(0x1400001, "pty.bin", bytes, sizeof bytes), "--wiring",
                   "none", NULL));
    CHECK(flash_is_right());
}

/* Where "name instructions bytes more" stands in what the machine printed. */
static double counted(const char *text, const char *name, double *bytes, double *more)
{
    unsigned count = 0, n = 0, m = 0;
    const char *at = strstr(text, name);

    CHECK(at && sscanf(at + strlen(name), " %u %u %u", &count, &n, &m) == 3 && n > 0);
    *bytes = n;
    *more = m;
    return count;
}

/* To 15 %: compilers differ. */
static void check_charge(const char *name, enum wry_work work, double found)
{
    double charged = (double)sim_board_cycles(work);

    check_context("%s: %.1f counted, %.0f charged", name, found, charged);
    CHECK(found > charged * 0.85 && found < charged * 1.15);
    check_context(NULL);
}

/* The processor's own count of instructions: the simulated bench charges its boards as many. */
static void the_bench_charges_what_is_counted_here(void)
{
    g_autofree char *kernel = g_strdup_printf("%s/count-32.elf", scratch());
    g_autofree char *out = g_strdup_printf("OUT=%s", scratch());
    const char *argv[] = {"qemu-system-riscv32",
                          "-M",
                          "sifive_u",
                          "-smp",
                          "2",
                          "-icount",
                          "shift=0",
                          "-bios",
                          "none",
                          "-kernel",
                          kernel,
                          "-display",
                          "none",
                          "-monitor",
                          "none",
                          "-serial",
                          "stdio",
                          NULL};
    char text[2048] = "";
    size_t n = 0;
    ssize_t got;
    double a, b, c, d;
    GPid pid;
    int from = -1;

    if (strcmp(word(), "32") != 0)
        return;
    CHECK_EQUAL(
        0, run_program("make", "-s", "-C", WRY_SOURCE_DIR "/boards/qemu-riscv", out, kernel, NULL)
               .code);
    CHECK(g_spawn_async_with_pipes(NULL, (char **)(uintptr_t)argv, NULL,
                                   G_SPAWN_SEARCH_PATH | G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL,
                                   &pid, NULL, &from, NULL, NULL));
    while (n < sizeof text - 1 && !strstr(text, "done") &&
           (got = read(from, text + n, sizeof text - 1 - n)) > 0) {
        n += (size_t)got;
        text[n] = '\0';
    }
    kill(pid, SIGKILL);
    waitpid(pid, NULL, 0);
    close(from);
    a = counted(text, "frame-in", &b, &c);
    CHECK_EQUAL(1, (int)c); /* the frame was good */
    check_charge("frame-in", WRY_WORK_FRAME_IN, a / b);
    a = counted(text, "frame-out", &b, &c);
    check_charge("frame-out", WRY_WORK_FRAME_OUT, a / b);
    a = counted(text, "digest", &b, &c);
    check_charge("digest", WRY_WORK_DIGEST, a / b);
    a = counted(text, "\npack-letters", &b, &c);
    check_charge("pack", WRY_WORK_PACK, a / b);
    /* Bytes of a stream and bytes that come out of it, from two streams of different kinds. */
    double letters = counted(text, "unpack-letters", &a, &b);
    double copies = counted(text, "unpack-copies", &c, &d);
    CHECK(b == d);
    double unpack = (letters * d - copies * b) / (a * d - c * b);
    check_charge("unpack", WRY_WORK_UNPACK, unpack);
    check_charge("copy", WRY_WORK_COPY, (copies - unpack * c) / d);
}

/* A flash with something in it here and there, and the program for it. */
static bool prepare(void)
{
    g_autofree char *target = g_strdup_printf("%s/loader-%s.elf", scratch(), word());
    g_autofree char *out = g_strdup_printf("OUT=%s", scratch());
    g_autofree char *program = g_strdup_printf("qemu-system-riscv%s", word());
    g_autofree char *found = g_find_program_in_path(program);
    g_autofree char *compiler = g_find_program_in_path("riscv64-unknown-elf-gcc");

    if (!found || !compiler) {
        printf("skipped: %s is not installed\n", found ? "riscv64-unknown-elf-gcc" : program);
        return false;
    }
    CHECK_EQUAL(
        0, run_program("make", "-s", "-C", WRY_SOURCE_DIR "/boards/qemu-riscv", out, target, NULL)
               .code);
    model = g_malloc(FLASH);
    memset(model, 0xFF, FLASH);
    rig_random(model + 0x10000, 0x800, 11);
    rig_random(model + 0x3F000, 0x6000, 12);
    rig_random(model + 0xFFD000, 0x3A00, 13);
    rig_random(model + 0x1002000, 0x4000, 14);
    rig_random(model + 0x11FF000, 0x2000, 15);
    scratch_write("machine.bin", model, FLASH);
    int file = open(scratch_file("machine.bin"), O_RDONLY);
    flash = mmap(NULL, FLASH, PROT_READ, MAP_SHARED, file, 0);
    close(file);
    CHECK(flash != MAP_FAILED);
    port = 20000 + (unsigned)getpid() % 20000;
    return true;
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(it_says_what_it_is),
        FACT(a_program_is_written_and_known_again),
        FACT(odd_offsets_and_beyond_16_mib),
        FACT(packed_and_as_a_difference),
        FACT(backed_up_erased_and_restored),
        FACT(it_resets_and_answers_again),
        FACT(whatever_the_power_cuts_is_finished_by_the_same_command),
        FACT(at_a_true_115200),
        FACT(over_a_pseudo_terminal),
        FACT(the_bench_charges_what_is_counted_here)};

    if (!prepare()) {
        scratch_remove();
        return SKIPPED;
    }
    boot_on_tcp();
    await_port();
    int failed = run_facts(facts, G_N_ELEMENTS(facts), argc, argv);
    power_off();
    g_free(model);
    munmap(flash, FLASH);
    scratch_remove();
    return failed;
}
