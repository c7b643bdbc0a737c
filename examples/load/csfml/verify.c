/* Every frame and box, and every clip at the times of times.txt, for comparison. */
#include <stdio.h>
#include <string.h>

#include "atlas.h"

static void print_base64(const uint8_t *bytes, size_t count) {
  static const char digits[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  for (size_t at = 0; at < count; at += 3) {
    uint32_t group = (uint32_t)bytes[at] << 16;
    if (at + 1 < count) group |= (uint32_t)bytes[at + 1] << 8;
    if (at + 2 < count) group |= bytes[at + 2];
    putchar(digits[group >> 18]);
    putchar(digits[group >> 12 & 63]);
    putchar(at + 1 < count ? digits[group >> 6 & 63] : '=');
    putchar(at + 2 < count ? digits[group & 63] : '=');
  }
  putchar('\n');
}

/* Draws a frame on a picture of its canvas's size, and prints the picture. */
static void print_picture(const Atlas *atlas, uint32_t index, bool mirror) {
  const PondFrame *frame = &pond_frames[index];
  sfRenderTexture *target = sfRenderTexture_create(frame->canvas_width, frame->canvas_height, sfFalse);
  sfRenderTexture_clear(target, sfColor_fromRGBA(0, 0, 0, 0));
  atlas_draw(atlas, target, index, frame->pivot_x, frame->pivot_y, 1, mirror);
  sfRenderTexture_display(target);
  sfImage *image = sfTexture_copyToImage(sfRenderTexture_getTexture(target));
  printf(" %d %d ", frame->canvas_width, frame->canvas_height);
  print_base64(sfImage_getPixelsPtr(image), (size_t)frame->canvas_width * frame->canvas_height * 4);
  sfImage_destroy(image);
  sfRenderTexture_destroy(target);
}

int main(void) {
  Atlas atlas;
  if (!atlas_load(&atlas)) return 1;
  for (int mirror = 0; mirror < 2; mirror++) {
    for (uint32_t at = 0; at < POND_FRAME_COUNT; at++) {
      printf("%s %s %s", mirror ? "mirrored" : "frame", pond_frames[at].sprite, pond_frames[at].name);
      print_picture(&atlas, at, mirror);
    }
  }
  for (uint32_t at = 0; at < POND_FRAME_COUNT; at++) {
    const PondFrame *frame = &pond_frames[at];
    for (uint32_t box = frame->first_box; box < frame->first_box + frame->box_count; box++) {
      const PondBox *area = &pond_boxes[box];
      printf("box %s %s %s %d %d %d %d\n", frame->sprite, frame->name, area->name, area->x, area->y, area->width, area->height);
    }
  }
  FILE *times = fopen("times.txt", "r");
  if (!times) return 1;
  char sprite[256], name[256], seconds[64];
  while (fscanf(times, "%255s %255s %63s", sprite, name, seconds) == 3) {
    double at;
    sscanf(seconds, "%lf", &at);
    for (int clip = 0; clip < POND_CLIP_COUNT; clip++) {
      if (strcmp(pond_clips[clip].sprite, sprite) || strcmp(pond_clips[clip].name, name)) continue;
      const PondStep *step = clip_step_at(&pond_clips[clip], at);
      printf("step %s %s %s %d %s %s", sprite, name, seconds, step->frame, step->mirror ? "mirrored" : "upright", step->event ? step->event : "-");
      print_picture(&atlas, step->frame, step->mirror);
    }
  }
  puts("end");
  return 0;
}
