/*
 * Copies of chips that stay until the program ends, one for each content, so that a pointer to a
 * chip is always good. For all threads.
 */
#pragma once

#include "wrytograph/chip.h"

/* The copy of a valid chip; a built-in chip itself. */
const struct wry_chip *kept_chip(const struct wry_chip *chip);
