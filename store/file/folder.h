/* Folders of ours, with all that is in them. */
#ifndef WRY_STORE_FOLDER_H
#define WRY_STORE_FOLDER_H

/* Removes it; links are removed and not followed. What cannot be removed stays. */
void folder_remove(const char *path);

#endif
