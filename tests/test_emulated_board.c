/*
 * The loader on boards that others made: QEMU's sifive_u and ast1030-evb machines, whose flash is a
 * file of this computer. Whatever the command says, the file is compared with what it has to be,
 * all of it.
 *
 * WRY_MACHINE is 32 or 64 (RISC-V) or arm. Skipped where emulator or compiler are missing.
 */
#include <gio/gio.h>
#include <glib.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "command.h"
#include "demo/program_like.h"
#include "emulator.h"
#include "harness.h"
#include "pack/lzma_packer.h"
#include "programs.h"
#include "rig.h"
#include "wrytograph/lzma.h"

enum {
    SKIPPED = 77,
    PROGRAM = 256 * 1024, /* bytes of a program that is unpacked */
    KILLS = 15,           /* for each machine */
    KILLS_APART = 6,
};

static struct emulator *machine;

/* What is sent before the machine has set its UART up is lost: sends a letter until it comes back,
 * and then another one, after which nothing is on its way. */
static void await_echo(GSocket *socket)
{
    char byte = 0;

    for (unsigned ms = 0; ms < EMULATOR_LONGEST && byte != 'a'; ms += 100) {
        g_socket_send(socket, "a", 1, NULL, NULL);
        if (g_socket_condition_timed_wait(socket, G_IO_IN, 100000, NULL, NULL))
            g_socket_receive(socket, &byte, 1, NULL, NULL);
    }
    g_socket_send(socket, "b", 1, NULL, NULL);
    while (byte != 'b' && g_socket_receive(socket, &byte, 1, NULL, NULL) == 1)
        continue;
    CHECK_EQUAL('b', byte);
}

/* Step 1 of the guide, with more than the rings hold. */
static void what_is_sent_comes_back(void)
{
    static uint8_t sent[20000], got[20000];
    g_autoptr(GSocketClient) client = g_socket_client_new();
    gsize n = 0;

    if (strcmp(machine->name, "arm") != 0)
        return; /* once: the program is the same */
    emulator_power_off(machine);
    emulator_use(machine, "echo");
    emulator_boot_on_tcp(machine);
    g_autoptr(GSocketConnection) connection =
        g_socket_client_connect_to_host(client, "127.0.0.1", (guint16)machine->port, NULL, NULL);
    CHECK(connection != NULL);
    GInputStream *in = connection ? g_io_stream_get_input_stream(G_IO_STREAM(connection)) : NULL;
    GOutputStream *out = connection ? g_io_stream_get_output_stream(G_IO_STREAM(connection)) : NULL;
    if (connection)
        await_echo(g_socket_connection_get_socket(connection));
    rig_random(sent, sizeof sent, 8);
    for (size_t at = 0; connection && at < sizeof sent; at += 500) {
        CHECK(g_output_stream_write_all(out, sent + at, 500, NULL, NULL, NULL));
        CHECK(g_input_stream_read_all(in, got + at, 500, &n, NULL, NULL));
        CHECK_EQUAL(500, n);
    }
    CHECK(memcmp(sent, got, sizeof sent) == 0);
    emulator_power_off(machine);
    emulator_use(machine, "loader");
    emulator_boot_on_tcp(machine);
}

static void it_says_what_it_is(void)
{
    struct said said = command("identify", EMULATOR_CHIP, NULL);

    EXPECT(0, machine->title, said);
    CHECK(says(&said, machine->reported));
    CHECK(says(&said, "protected unknown for this flash"));
    CHECK(emulator_flash_is_right(machine));
}

static void a_program_is_written_and_known_again(void)
{
    struct wry_boot_header header = program_header("2.3.1", 20000);
    size_t n = 0;

    header.chip_code = machine->chip_code;
    header.flash_size_log2 = 25;
    program_write("program.bin", &header);
    g_autofree uint8_t *bytes = scratch_read("program.bin", &n);
    EXPECT(0, "Written, and verified",
           command("write", emulator_content(machine, 0x30000, "p.bin", bytes, n), NULL));
    CHECK(emulator_flash_is_right(machine));
    if (strcmp(machine->name, "64") != 0 || check_one_in(2) > 1)
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
           command("write",
                   emulator_content(machine, 0x1000000 - 7777, "odd.bin", bytes, sizeof bytes),
                   NULL));
    CHECK(emulator_flash_is_right(machine));
    EXPECT(0, "agrees",
           command("verify",
                   emulator_content(machine, 0x1000000 - 7777, "odd.bin", bytes, sizeof bytes),
                   NULL));
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
    said = command("write", emulator_content(machine, 0x1200100, "text.bin", bytes, sizeof bytes),
                   "--json", NULL);
    EXPECT(0, "\"written_and_checked\" : true", said);
    CHECK(content_sent(&said) < sizeof bytes / 8);
    CHECK(emulator_flash_is_right(machine));
    /* What packs badly, and then the same with a few bytes more in the middle. */
    rig_random(bytes, sizeof bytes, 2);
    said = command("write", emulator_content(machine, 0x1200100, "first.bin", bytes, sizeof bytes),
                   "--json", NULL);
    EXPECT(0, "\"written_and_checked\" : true", said);
    CHECK(content_sent(&said) > sizeof bytes / 2);
    memmove(bytes + 20016, bytes + 20000, sizeof bytes - 20016);
    /* At a speed at which the line, and not the flash, is what is waited for. */
    g_autofree char *slow = g_strdup_printf("tcp://127.0.0.1:%u", machine->port);
    said = command("write", emulator_content(machine, 0x1200100, "second.bin", bytes, sizeof bytes),
                   "--json", "--link", slow, NULL);
    EXPECT(0, "\"written_and_checked\" : true", said);
    CHECK(content_sent(&said) < sizeof bytes / 8);
    CHECK(emulator_flash_is_right(machine));
}

static void backed_up_erased_and_restored(void)
{
    const char *archive = scratch_file("part.zip");
    const char *part = "0xFF0000+0x40000";

    EXPECT(0, "", command("backup", archive, "--only", part, NULL));
    EXPECT(0, "Erased, and verified", command("erase", part, NULL));
    g_autofree uint8_t *was = g_memdup2(machine->model + 0xFF0000, 0x40000);
    memset(machine->model + 0xFF0000, 0xFF, 0x40000);
    CHECK(emulator_flash_is_right(machine));
    EXPECT(0, "", command("restore", archive, "--without-backup", NULL));
    memcpy(machine->model + 0xFF0000, was, 0x40000);
    CHECK(emulator_flash_is_right(machine));
}

static void it_resets_and_answers_again(void)
{
    EXPECT(0, "", command("start", NULL));
    EXPECT(0, machine->title, command("identify", EMULATOR_CHIP, NULL));
    CHECK(emulator_flash_is_right(machine));
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
    uint8_t before = machine->model[watched];
    const char *argv[] = {command_path(), "write",
                          emulator_content(machine, offset, "cut.bin", bytes, LENGTH), NULL};
    CHECK(g_spawn_async(NULL, (char **)(uintptr_t)argv, NULL,
                        G_SPAWN_DO_NOT_REAP_CHILD | G_SPAWN_STDOUT_TO_DEV_NULL, NULL, NULL, &pid,
                        NULL));
    for (unsigned ms = 0;
         ms < EMULATOR_LONGEST && *(volatile uint8_t *)&machine->flash[watched] == before; ms++)
        g_usleep(1000);
    emulator_power_off(machine);
    emulator_boot_on_tcp(machine);
    waitpid(pid, &status, 0);
    check_context("cut %u", i);
    CHECK(WIFEXITED(status) && WEXITSTATUS(status) == 0);
    CHECK(emulator_flash_is_right(machine));
}

static void whatever_the_power_cuts_is_finished_by_the_same_command(void)
{
    /* The loader is the same on all machines: every case is tried on two of them. */
    unsigned apart = strcmp(machine->name, "arm") == 0 ? KILLS_APART : check_one_in(KILLS_APART);

    for (unsigned i = 0; i < KILLS; i += apart)
        cut(i);
}

static void at_a_true_115200(void)
{
    static uint8_t bytes[9000];
    g_autofree char *number = g_strdup_printf("%u", machine->port);
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
    struct said said = command(
        "write", emulator_content(machine, 0x1300000, "paced.bin", bytes, sizeof bytes), NULL);
    EXPECT(0, "Written, and verified", said);
    CHECK(!says(&said, "damaged"));
    CHECK(emulator_flash_is_right(machine));
    kill(pid, SIGTERM);
    waitpid(pid, NULL, 0);
    close(out);
}

static void over_a_pseudo_terminal(void)
{
    static uint8_t bytes[9000];

    emulator_power_off(machine);
    emulator_boot(machine, "pty");
    g_setenv("WRYTOGRAPH_LINK", machine->terminal, TRUE);
    EXPECT(0, machine->title, command("identify", "--wiring", "none", EMULATOR_CHIP, NULL));
    rig_random(bytes, sizeof bytes, 10);
    EXPECT(0, "Written, and verified",
           command("write", emulator_content(machine, 0x1400001, "pty.bin", bytes, sizeof bytes),
                   "--wiring", "none", NULL));
    CHECK(emulator_flash_is_right(machine));
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

struct program {
    uint8_t content[PROGRAM];
    size_t taken;
};

static bool take(void *context, uint8_t *to, size_t room, size_t *given)
{
    struct program *program = context;

    *given = MIN(room, PROGRAM - program->taken);
    memcpy(to, program->content + program->taken, *given);
    program->taken += *given;
    return true;
}

/* Lengths, stream and content, for the machine's memory. */
static void write_packed_program(const char *path)
{
    struct program *program = g_new0(struct program, 1);
    const struct pack_source source = {.context = program, .take = take};
    const struct pack_lzma_form form = {.parameters = WRY_LZMA_USUAL, .reach = 32 * 1024};
    struct pack_lzma *lzma = g_new0(struct pack_lzma, 1);
    g_autoptr(GByteArray) bytes = g_byte_array_new();
    uint8_t piece[4096], lengths[8] = {0};
    size_t given = 1;

    fill_like_program(program->content, PROGRAM, 1, 0);
    CHECK(pack_lzma_begin(lzma, &source, &form));
    g_byte_array_append(bytes, lengths, sizeof lengths);
    while (given > 0) {
        CHECK(pack_lzma_give(lzma, piece, sizeof piece, &given));
        g_byte_array_append(bytes, piece, (guint)given);
    }
    guint32 stream = GUINT32_TO_LE(bytes->len - sizeof lengths), whole = GUINT32_TO_LE(PROGRAM);
    memcpy(bytes->data, &stream, sizeof stream);
    memcpy(bytes->data + sizeof stream, &whole, sizeof whole);
    g_byte_array_append(bytes, program->content, PROGRAM);
    CHECK(g_file_set_contents(path, (const char *)bytes->data, (gssize)bytes->len, NULL));
    pack_lzma_end(lzma);
    g_free(lzma);
    g_free(program);
}

/* The processor's own count of instructions: the simulated bench charges its boards as many. */
static void the_bench_charges_what_is_counted_here(void)
{
    g_autofree char *kernel = g_strdup_printf("%s/count-32.elf", scratch());
    g_autofree char *out = g_strdup_printf("OUT=%s", scratch());
    g_autofree char *program = g_strdup_printf("%s/program.lzma", scratch());
    g_autofree char *given =
        g_strdup_printf("loader,file=%s,addr=0x84000000,force-raw=on", program);
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
                          "-device",
                          given,
                          NULL};
    char text[2048] = "";
    size_t n = 0;
    ssize_t got;
    double a, b, c, d;
    GPid pid;
    int from = -1;

    if (strcmp(machine->name, "32") != 0)
        return;
    write_packed_program(program);
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
    a = counted(text, "\npack", &b, &c);
    check_charge("pack", WRY_WORK_PACK, a / b);
    a = counted(text, "\npack-quick", &b, &c);
    check_charge("pack, quick", WRY_WORK_PACK_QUICK, a / b);
    /* Bytes of a stream and bytes that come out of it, from two streams of different kinds. */
    double letters = counted(text, "unpack-letters", &a, &b);
    double copies = counted(text, "unpack-copies", &c, &d);
    CHECK(b == d);
    double unpack = (letters * d - copies * b) / (a * d - c * b);
    check_charge("unpack", WRY_WORK_UNPACK, unpack);
    check_charge("copy", WRY_WORK_COPY, (copies - unpack * c) / d);
    a = counted(text, "lzma-letters", &b, &c);
    CHECK_EQUAL(1, (int)c); /* what came out was right */
    check_context("LZMA: %.0f counted", a / b);
    CHECK(a / b <= 300);
    /* Decisions take time, and a byte of noise holds the fewest of them. */
    CHECK(sim_board_cycles(WRY_WORK_LZMA) >= a / b);
    a = counted(text, "lzma-program", &b, &c);
    CHECK_EQUAL(PROGRAM, (int)c);
    check_charge("LZMA", WRY_WORK_LZMA,
                 (a - (double)sim_board_cycles(WRY_WORK_COPY) * PROGRAM) / b);
    a = counted(text, "filter", &b, &c);
    CHECK(a / b <= sim_board_cycles(WRY_WORK_FILTER));
}

/* A flash with something in it here and there. */
static void fill_flash(void)
{
    rig_random(machine->model + 0x10000, 0x800, 11);
    rig_random(machine->model + 0x3F000, 0x6000, 12);
    rig_random(machine->model + 0xFFD000, 0x3A00, 13);
    rig_random(machine->model + 0x1002000, 0x4000, 14);
    rig_random(machine->model + 0x11FF000, 0x2000, 15);
    emulator_fill_flash(machine);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(what_is_sent_comes_back),
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

    const char *name = g_getenv("WRY_MACHINE");
    machine = emulator_new(name ? name : "64");
    if (!machine) {
        scratch_remove();
        return SKIPPED;
    }
    fill_flash();
    emulator_boot_on_tcp(machine);
    int failed = run_facts(facts, G_N_ELEMENTS(facts), argc, argv);
    emulator_free(machine);
    scratch_remove();
    return failed;
}
