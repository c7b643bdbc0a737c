/* An atlas in CSFML: the tables that `shibori export pond --template c -o pond.h` writes, and how a frame is drawn. */
#ifndef ATLAS_H
#define ATLAS_H

#include <SFML/Graphics.h>

#include "pond.h"

#define PAGE_COUNT (sizeof pond_pages / sizeof pond_pages[0])

typedef struct {
  sfTexture *pages[PAGE_COUNT];
  sfSprite *sprite;
} Atlas;

/* Reads the pages, which lie in the folder that the program runs in. False where one can't be read. */
bool atlas_load(Atlas *atlas);

/* Draws a frame with its pivot at x, y. */
void atlas_draw(const Atlas *atlas, sfRenderTexture *target, uint32_t frame, float x, float y, float scale, bool mirror);

/* The step that a clip shows after this many seconds; its last where it has played to the end. */
const PondStep *clip_step_at(const PondClip *clip, double seconds);

#endif
