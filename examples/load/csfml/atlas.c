#include "atlas.h"

#include <math.h>

bool atlas_load(Atlas *atlas) {
  for (size_t at = 0; at < PAGE_COUNT; at++) {
    atlas->pages[at] = sfTexture_createFromFile(pond_pages[at].file, NULL);
    if (!atlas->pages[at]) return false;
    sfTexture_setSmooth(atlas->pages[at], sfFalse);
  }
  atlas->sprite = sfSprite_create();
  return true;
}

void atlas_draw(const Atlas *atlas, sfRenderTexture *target, uint32_t index, float x, float y, float scale, bool mirror) {
  const PondFrame *frame = &pond_frames[index];
  if (frame->width == 0) return; /* nothing of it shows */
  sfSprite *sprite = atlas->sprite;
  sfSprite_setTexture(sprite, atlas->pages[frame->page], sfFalse);
  sfSprite_setTextureRect(sprite, (sfIntRect){frame->x, frame->y, frame->width, frame->height});
  /* Where the pivot lies, from the kept pixels' top left. */
  float right = frame->pivot_x - frame->inset_x, down = frame->pivot_y - frame->inset_y;
  if (frame->rotated) {
    /* A quarter clockwise on the page: there, down is left, and right is down. A quarter back makes it upright. */
    sfSprite_setOrigin(sprite, (sfVector2f){frame->width - down, right});
    sfSprite_setRotation(sprite, -90);
    sfSprite_setScale(sprite, (sfVector2f){scale, mirror ? -scale : scale});
  } else {
    sfSprite_setOrigin(sprite, (sfVector2f){right, down});
    sfSprite_setRotation(sprite, 0);
    sfSprite_setScale(sprite, (sfVector2f){mirror ? -scale : scale, scale});
  }
  sfSprite_setPosition(sprite, (sfVector2f){x, y});
  sfRenderTexture_drawSprite(target, sprite, NULL);
}

const PondStep *clip_step_at(const PondClip *clip, double seconds) {
  const PondStep *steps = &pond_steps[clip->first_step];
  if (clip->plays && seconds >= (double)clip->seconds * clip->plays) return &steps[clip->step_count - 1];
  double at = fmod(seconds, clip->seconds);
  for (uint32_t step = 0; step + 1 < clip->step_count; step++) {
    if (at < steps[step].seconds) return &steps[step];
    at -= steps[step].seconds;
  }
  return &steps[clip->step_count - 1];
}
