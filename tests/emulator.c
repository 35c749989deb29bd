/* Emulated machines. */
#include "emulator.h"

#include <arpa/inet.h>
#include <fcntl.h>
#include <glib.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include "command.h"
#include "harness.h"
#include "wrytograph/chip.h"

enum {
    USUAL_SIZE = 0x2000000,
};

/* What the emulator is called with, apart from serial port and flash. */
static const struct kind {
    const char *name, *program, *machine, *usual_flash, *folder, *compiler;
    const char *more[8];
    struct emulator of;
} kinds[] = {
    {.name = "32",
     .program = "qemu-system-riscv32",
     .machine = "sifive_u",
     .folder = "qemu-riscv",
     .compiler = "riscv64-unknown-elf-gcc",
     .more = {"-smp", "2", "-bios", "none"},
     .of = {"32", "Dunlin D3", WRY_CHIP_DUNLIN_D3,
            .reported = "32 MiB (256 Mbit) by its ID, JEDEC ID 9D 70 19"}},
    {.name = "64",
     .program = "qemu-system-riscv64",
     .machine = "sifive_u",
     .folder = "qemu-riscv",
     .compiler = "riscv64-unknown-elf-gcc",
     .more = {"-smp", "2", "-bios", "none"},
     .of = {"64", "Dunlin D3", WRY_CHIP_DUNLIN_D3,
            .reported = "32 MiB (256 Mbit) by its ID, JEDEC ID 9D 70 19"}},
    {.name = "arm",
     .program = "qemu-system-arm",
     .machine = "ast1030-evb",
     .usual_flash = "w25q256",
     .folder = "qemu-arm",
     .compiler = "arm-none-eabi-gcc",
     .of = {"arm", "QEMU ast1030-evb", 0x0041, .reported = "32 MiB (256 Mbit), JEDEC ID EF 40 19"}},
};

struct set_up {
    struct emulator machine; /* first */
    const struct kind *kind;
    const char *program;
    char *flash_model;
    GPid pid;
};

static struct set_up *set_up_of(const struct emulator *machine)
{
    return (struct set_up *)(uintptr_t)machine;
}

void emulator_use(struct emulator *machine, const char *program)
{
    struct set_up *set_up = set_up_of(machine);
    const struct kind *kind = set_up->kind;
    g_autofree char *folder = g_build_filename(WRY_SOURCE_DIR "/boards", kind->folder, NULL);
    g_autofree char *out = g_strdup_printf("OUT=%s", scratch());
    g_autofree char *target = g_strdup_printf("%s/%s-%s.elf", scratch(), program, kind->name);

    set_up->program = program;
    CHECK_EQUAL(0, run_program("make", "-s", "-C", folder, out, target, NULL).code);
}

struct emulator *emulator_new(const char *name)
{
    const struct kind *kind = NULL;

    for (size_t i = 0; i < G_N_ELEMENTS(kinds); i++)
        kind = strcmp(kinds[i].name, name) == 0 ? &kinds[i] : kind;
    g_autofree char *program = g_find_program_in_path(kind->program);
    g_autofree char *compiler = g_find_program_in_path(kind->compiler);
    if (!program || !compiler) {
        printf("skipped: %s is not installed\n", program ? kind->compiler : kind->program);
        return NULL;
    }
    struct set_up *set_up = g_new0(struct set_up, 1);
    set_up->machine = kind->of;
    set_up->kind = kind;
    set_up->machine.port = 20000 + (unsigned)getpid() % 20000;
    emulator_use(&set_up->machine, "loader");
    emulator_put_flash(&set_up->machine, NULL, USUAL_SIZE);
    return &set_up->machine;
}

static void take_flash_out(struct emulator *machine)
{
    if (!machine->flash)
        return;
    munmap(machine->flash, machine->flash_size);
    g_free(machine->model);
    machine->flash = machine->model = NULL;
}

void emulator_put_flash(struct emulator *machine, const char *model, uint32_t size)
{
    struct set_up *set_up = set_up_of(machine);

    take_flash_out(machine);
    g_free(set_up->flash_model);
    set_up->flash_model = g_strdup(model ? model : set_up->kind->usual_flash);
    machine->flash_size = size;
    machine->model = g_malloc(size);
    memset(machine->model, 0xFF, size);
    scratch_write("machine.bin", "", 0);
    int file = open(scratch_file("machine.bin"), O_RDWR | O_CLOEXEC);
    CHECK(ftruncate(file, size) == 0);
    machine->flash = mmap(NULL, size, PROT_READ | PROT_WRITE, MAP_SHARED, file, 0);
    close(file);
    CHECK(machine->flash != MAP_FAILED);
    emulator_fill_flash(machine);
}

void emulator_fill_flash(struct emulator *machine)
{
    memcpy(machine->flash, machine->model, machine->flash_size);
}

/* The emulator's first line names the pseudo-terminal. */
static void read_terminal(struct emulator *machine, int from)
{
    char line[256] = "";

    for (size_t n = 0; n < sizeof line - 1 && read(from, line + n, 1) == 1 && line[n] != '\n';)
        line[++n] = '\0';
    const char *path = strstr(line, "/dev/");
    g_strlcpy(machine->terminal, path ? path : "", sizeof machine->terminal);
    machine->terminal[strcspn(machine->terminal, " ")] = '\0';
}

void emulator_boot(struct emulator *machine, const char *serial)
{
    struct set_up *set_up = set_up_of(machine);
    const struct kind *kind = set_up->kind;
    g_autofree char *name =
        set_up->flash_model ? g_strdup_printf("%s,fmc-model=%s", kind->machine, set_up->flash_model)
                            : g_strdup(kind->machine);
    g_autofree char *kernel =
        g_strdup_printf("%s/%s-%s.elf", scratch(), set_up->program, kind->name);
    g_autofree char *drive =
        g_strdup_printf("file=%s,format=raw,if=mtd", scratch_file("machine.bin"));
    const char *const always[] = {
        "-accel", "tcg,thread=single", "-kernel", kernel,   "-display", "none", "-monitor",
        "none",   "-serial",           serial,    "-drive", drive,      NULL};
    g_autoptr(GPtrArray) argv = g_ptr_array_new();
    int out = -1;

    g_ptr_array_add(argv, (gpointer)kind->program);
    g_ptr_array_add(argv, (gpointer) "-M");
    g_ptr_array_add(argv, name);
    for (size_t i = 0; kind->more[i]; i++)
        g_ptr_array_add(argv, (gpointer)kind->more[i]);
    for (size_t i = 0; i < G_N_ELEMENTS(always); i++)
        g_ptr_array_add(argv, (gpointer)always[i]);
    CHECK(g_spawn_async_with_pipes(NULL, (char **)argv->pdata, NULL,
                                   G_SPAWN_SEARCH_PATH | G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL,
                                   &set_up->pid, NULL, &out, NULL, NULL));
    if (strcmp(serial, "pty") == 0)
        read_terminal(machine, out);
    close(out);
}

void emulator_power_off(struct emulator *machine)
{
    struct set_up *set_up = set_up_of(machine);

    if (set_up->pid == 0)
        return;
    kill(set_up->pid, SIGKILL);
    waitpid(set_up->pid, NULL, 0);
    set_up->pid = 0;
}

/* Until it listens. */
static void await_port(const struct emulator *machine)
{
    const struct sockaddr_in address = {.sin_family = AF_INET,
                                        .sin_port = htons((uint16_t)machine->port),
                                        .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};

    for (unsigned ms = 0; ms < EMULATOR_LONGEST; ms += 10) {
        int file = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
        int said = connect(file, (const struct sockaddr *)(const void *)&address, sizeof address);
        close(file);
        if (said == 0)
            return;
        g_usleep(10000);
    }
}

void emulator_boot_on_tcp(struct emulator *machine)
{
    g_autofree char *serial =
        g_strdup_printf("tcp:127.0.0.1:%u,server=on,wait=off,nodelay=on", machine->port);
    g_autofree char *link = g_strdup_printf("tcp://127.0.0.1:%u?speed=2000000", machine->port);

    emulator_boot(machine, serial);
    g_setenv("WRYTOGRAPH_LINK", link, TRUE);
    await_port(machine);
}

bool emulator_flash_is_right(const struct emulator *machine)
{
    for (unsigned i = 0; i < EMULATOR_LONGEST / 10; i++) {
        if (memcmp(machine->flash, machine->model, machine->flash_size) == 0)
            return true;
        g_usleep(10000);
    }
    for (uint32_t at = 0; at < machine->flash_size; at++) {
        if (machine->flash[at] != machine->model[at]) {
            printf("  first difference at 0x%06X\n", (unsigned)at);
            break;
        }
    }
    return false;
}

const char *emulator_content(struct emulator *machine, uint32_t offset, const char *name,
                             const uint8_t *bytes, size_t n)
{
    static char placement[256];

    scratch_write(name, bytes, n);
    memcpy(machine->model + offset, bytes, n);
    g_snprintf(placement, sizeof placement, "0x%X=%s", (unsigned)offset, scratch_file(name));
    return placement;
}

void emulator_free(struct emulator *machine)
{
    emulator_power_off(machine);
    take_flash_out(machine);
    g_free(set_up_of(machine)->flash_model);
    g_free(set_up_of(machine));
}
