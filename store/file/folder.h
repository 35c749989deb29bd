/* Folders with their content. */
#ifndef WRY_STORE_FOLDER_H
#define WRY_STORE_FOLDER_H

/* Removes a folder and its content, without following links. What cannot be removed stays. */
void folder_remove(const char *path);

#endif
