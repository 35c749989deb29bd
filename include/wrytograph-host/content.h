/*
 * What a file is, where it is surely no firmware.
 *
 *     if (image->content != WRY_CONTENT_ANY)
 *         puts("this is not for a board");
 */
#ifndef WRYTOGRAPH_HOST_CONTENT_H
#define WRYTOGRAPH_HOST_CONTENT_H

enum wry_content {
    WRY_CONTENT_ANY,      /* a boot header, or nothing that tells */
    WRY_CONTENT_PAGE,     /* HTML or XML: what a server sends instead of a file */
    WRY_CONTENT_ZIP,      /* a ZIP archive */
    WRY_CONTENT_PACKED,   /* another archive, or compressed */
    WRY_CONTENT_PROGRAM,  /* what a linker makes: an executable or an object file */
    WRY_CONTENT_TEXT,     /* readable text */
    WRY_CONTENT_DOCUMENT, /* a picture or a document */
};

#endif
