/* Plays the clips of an atlas; space shows the next. */
#include <stdio.h>

#include "atlas.h"

int main(void) {
  sfRenderWindow *window = sfRenderWindow_create((sfVideoMode){640, 480, 32}, "A Shibori atlas", sfDefaultStyle, NULL);
  sfRenderTexture *stage = sfRenderTexture_create(160, 120, sfFalse);
  Atlas atlas;
  if (!window || !stage || !atlas_load(&atlas)) {
    fputs("no window, or a page can't be read\n", stderr);
    return 1;
  }
  sfSprite *screen = sfSprite_create();
  sfSprite_setTexture(screen, sfRenderTexture_getTexture(stage), sfTrue);
  sfSprite_setScale(screen, (sfVector2f){4, 4});
  sfClock *clock = sfClock_create();
  int playing = 0;
  while (sfRenderWindow_isOpen(window)) {
    for (sfEvent event; sfRenderWindow_pollEvent(window, &event);) {
      if (event.type == sfEvtClosed) sfRenderWindow_close(window);
      if (event.type == sfEvtKeyPressed && event.key.code == sfKeySpace) {
        playing = (playing + 1) % POND_CLIP_COUNT;
        sfClock_restart(clock);
      }
    }
    const PondStep *step = clip_step_at(&pond_clips[playing], sfTime_asSeconds(sfClock_getElapsedTime(clock)));
    sfRenderTexture_clear(stage, sfColor_fromRGB(26, 34, 48));
    atlas_draw(&atlas, stage, step->frame, 80, 80, 1, step->mirror);
    sfRenderTexture_display(stage);
    sfRenderWindow_drawSprite(window, screen, NULL);
    sfRenderWindow_display(window);
  }
  return 0;
}
