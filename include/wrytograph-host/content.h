/*
 * Recognises files that are certainly not firmware for a board's flash.
 *
 *     if (image->content != WRY_CONTENT_ANY)
 *         puts("this is not for a board");
 */
#ifndef WRYTOGRAPH_HOST_CONTENT_H
#define WRYTOGRAPH_HOST_CONTENT_H

enum wry_content {
    WRY_CONTENT_ANY,      /* has a boot header, or could be anything */
    WRY_CONTENT_PAGE,     /* HTML or XML: what a server sends instead of a file */
    WRY_CONTENT_ZIP,      /* a ZIP archive */
    WRY_CONTENT_PACKED,   /* another archive, or a compressed file */
    WRY_CONTENT_PROGRAM,  /* an executable or an object file */
    WRY_CONTENT_TEXT,     /* readable text */
    WRY_CONTENT_DOCUMENT, /* a picture or a document */
    WRY_CONTENT_MODULE,   /* the image of a module (wrytograph/module_image.h) */
};

#endif
