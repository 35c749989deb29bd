/* Folders with their content. */
#pragma once

/* Removes a folder and its content, without following links. What cannot be removed stays. */
void folder_remove(const char *path);
