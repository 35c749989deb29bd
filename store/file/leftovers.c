/* Names of temporary files, and what killed processes left of them. */
#include "leftovers.h"

#include <errno.h>
#include <glib.h>
#include <glib/gstdio.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/folder_names.h"
#include "base/process_mark.h"
#include "store/file/folder.h"

#define PREFIX ".wrytograph-"

enum {
    AGE_OF_OLD = 3600, /* s: names of earlier versions do not tell the computer */
};

/* ".wrytograph-PURPOSE-MARK-NUMBER" */
char *leftovers_path(const char *folder, const char *purpose)
{
    static int count;
    g_autofree char *mark = process_mark_in_name();
    g_autofree char *name =
        g_strdup_printf(PREFIX "%s-%s-%d", purpose, mark, g_atomic_int_add(&count, 1));

    return g_build_filename(folder, name, NULL);
}

bool leftovers_is_one(const char *name)
{
    const char *mark = g_str_has_prefix(name, PREFIX) ? strchr(name + strlen(PREFIX), '-') : NULL;

    return mark && process_mark_in_name_is_dead(mark + 1);
}

/* ".NAME.part-PROCESS", as versions before 0.3 called what they had begun. */
static bool is_old_one(const char *name, const GStatBuf *info)
{
    const char *part = name[0] == '.' ? g_strrstr(name, ".part-") : NULL;
    long process = part ? strtol(part + strlen(".part-"), NULL, 10) : 0;

    return process > 0 && S_ISREG(info->st_mode) &&
           info->st_mtime < g_get_real_time() / G_USEC_PER_SEC - AGE_OF_OLD &&
           kill((pid_t)process, 0) != 0 && errno == ESRCH;
}

void leftovers_remove(const char *folder)
{
    g_auto(GStrv) names = folder_names(folder, NULL);
    GStatBuf info;

    for (char **at = names; at && *at; at++) {
        const char *name = *at;
        g_autofree char *path = name[0] == '.' ? g_build_filename(folder, name, NULL) : NULL;
        if (!path || g_lstat(path, &info) != 0 || info.st_uid != geteuid() ||
            !(leftovers_is_one(name) || is_old_one(name, &info)))
            continue;
        if (S_ISDIR(info.st_mode))
            folder_remove(path);
        else
            g_unlink(path);
    }
}

char *leftovers_new_folder(const char *purpose)
{
    char *path = leftovers_path(g_get_tmp_dir(), purpose);

    leftovers_remove(g_get_tmp_dir());
    if (g_mkdir(path, 0700) == 0)
        return path;
    g_free(path);
    return NULL;
}
