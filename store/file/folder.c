/* Removing folders. */
#include "store/file/folder.h"

#include <ftw.h>
#include <stdio.h>
#include <sys/stat.h>

enum {
    DESCRIPTORS = 16,
};

static int remove_one(const char *path, const struct stat *info, int kind, struct FTW *place)
{
    (void)info;
    (void)kind;
    (void)place;
    (void)remove(path);
    return 0;
}

void folder_remove(const char *path)
{
    nftw(path, remove_one, DESCRIPTORS, FTW_DEPTH | FTW_PHYS);
}
