/* The command: finds the verb, runs it, and ends in one way. */
#include <fcntl.h>
#include <locale.h>
#include <signal.h>
#include <stdio.h>
#include <unistd.h>

#include "app.h"
#include "bar.h"
#include "link.h"

static const struct verb verbs[] = {
    {"ports", "list serial ports, or name the one that appears", verb_ports},
    {"examine", "say what is wrong with a link, and what to check", verb_examine},
    {"identify", "say which board is on the link: chip, address, flash", verb_identify},
    {"inspect", "say what a file contains, without a board", verb_inspect},
    {"plan", "check what would be written, and draw the flash map", verb_plan},
    {"backup", "save the flash to an archive tied to the board", verb_backup},
    {"restore", "put an archive back on its board", verb_restore},
    {"erase", "erase all of the flash, regions or ranges", verb_erase},
    {"write", "write images at their places and check them", verb_write},
    {"verify", "compare images or an archive with what the flash holds", verb_verify},
    {"start", "leave loading mode and run the firmware", verb_start},
    {"listen", "a serial terminal that can check what the board says", verb_listen},
    {"bench", "make, list, spoil and serve simulated boards", verb_bench},
};

static void print_help(FILE *to)
{
    fputs("Backs up, erases, writes, restores and verifies flash on Wi-Fi microcontroller boards "
          "over a serial link.\n"
          "\nusage: wrytograph VERB [OPTIONS] [ARGUMENTS]\n\nverbs, in the order of the work:\n",
          to);
    for (size_t i = 0; i < G_N_ELEMENTS(verbs); i++)
        fprintf(to, "  %-10s %s\n", verbs[i].name, verbs[i].summary);
    fputs("\n'wrytograph VERB --help' tells more about a verb.\n"
          "To try it without hardware: wrytograph bench add gauge-1 --chip turnstone-t2 --flash "
          "4MiB\n"
          "                            wrytograph identify --link bench:gauge-1\n",
          to);
}

static const struct verb *find_verb(const char *name)
{
    for (size_t i = 0; i < G_N_ELEMENTS(verbs); i++) {
        if (g_strcmp0(verbs[i].name, name) == 0)
            return &verbs[i];
    }
    return NULL;
}

/* One JSON document, whether the work succeeded or not. */
static void print_json(struct app *app, int code)
{
    g_autoptr(JsonGenerator) generator = json_generator_new();

    app_json_number(app, "exit_code", code);
    if (app->message)
        app_json_text(app, "error", app->message);
    if (app->next_step)
        app_json_text(app, "next_step", app->next_step);
    json_builder_end_object(app->json);
    g_autoptr(JsonNode) root = json_builder_get_root(app->json);
    json_generator_set_root(generator, root);
    json_generator_set_pretty(generator, TRUE);
    g_autofree char *text = json_generator_to_data(generator, NULL);
    puts(text);
}

static void say_failure(const struct app *app)
{
    if (!app->message)
        return;
    app_note(app, "wrytograph%s%s: %s", app->verb[0] ? " " : "", app->verb, app->message);
    if (app->next_step && app->next_step[0])
        app_note(app, "%s", app->next_step);
}

static int finish(struct app *app, int code)
{
    bar_end(app->bar);
    link_close(app);
    fflush(stdout);
    say_failure(app);
    if (app->json_wanted)
        print_json(app, code);
    if ((fflush(stdout) != 0 || ferror(stdout)) && code == EXIT_DONE) {
        app_note(app, "wrytograph %s: the result could not be written to the standard output",
                 app->verb);
        code = EXIT_INTERNAL;
    }
    g_object_unref(app->json);
    g_strfreev(app->rest);
    g_free(app->link);
    g_free(app->bench_folder);
    g_free(app->speed);
    g_free(app->expect_chip);
    g_free(app->expect_flash);
    g_free(app->wait);
    g_free(app->call_speed);
    g_free(app->patience);
    g_free(app->wiring_name);
    g_free(app->layout_path);
    g_free(app->as);
    g_free(app->message);
    g_free(app->next_step);
    g_free(app);
    return code;
}

/* The first file that is opened must not become the standard output by chance. */
static void hold_standard_files(void)
{
    for (int file = open("/dev/null", O_RDWR); file >= 0; file = open("/dev/null", O_RDWR)) {
        if (file > STDERR_FILENO) {
            close(file);
            return;
        }
    }
}

/* Wanted even where the options cannot be read. */
static bool wants_json(int argc, char **argv)
{
    for (int i = 1; i < argc && g_strcmp0(argv[i], "--") != 0; i++) {
        if (g_strcmp0(argv[i], "--json") == 0)
            return true;
    }
    return false;
}

int main(int argc, char **argv)
{
    hold_standard_files();
    setlocale(LC_ALL, "");
    /* Figures for people and for programs have a point, wherever the desk stands. */
    setlocale(LC_NUMERIC, "C");
    /* A file that outgrows a limit is an error to be told, not a reason to die. */
    signal(SIGXFSZ, SIG_IGN);
    if (argc < 2) {
        print_help(stderr);
        return EXIT_USAGE;
    }
    if (g_strcmp0(argv[1], "--help") == 0 || g_strcmp0(argv[1], "help") == 0) {
        print_help(stdout);
        return EXIT_DONE;
    }
    if (g_strcmp0(argv[1], "--version") == 0) {
        puts("wrytograph " WRY_VERSION);
        return EXIT_DONE;
    }
    const struct verb *verb = find_verb(argv[1]);
    struct app *app = g_new0(struct app, 1);
    app->verb = verb ? verb->name : "";
    app->json_wanted = wants_json(argc, argv);
    app->json = json_builder_new();
    json_builder_begin_object(app->json);
    app_json_text(app, "verb", app->verb);
    int code = verb ? verb->run(app, argc - 1, argv + 1)
                    : app_fail(app, EXIT_USAGE, "See 'wrytograph --help'.", "there is no verb '%s'",
                               argv[1]);
    return finish(app, code);
}
