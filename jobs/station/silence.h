/* Why a board does not answer. */
#pragma once

#include "station_problem.h"

struct wry_evidence;

/*
 * Judges what the station's session heard while it called without success, and fills in *evidence.
 * If that has several explanations, tries to tell them apart: whether bytes arrive in reset too,
 * and whether the board is understood at other speeds. This takes up to 15 s, ends when the caller
 * asks to stop, and leaves the board reset and the session without a board.
 *
 * thorough: also tries other wirings, if none was given, and other speeds of the loader if a
 * program is running.
 */
void silence_judge(struct wry_station *station, struct wry_evidence *evidence, bool thorough);
