"""Every frame and box of pond.json, and every clip at the times of times.txt, for comparison."""

import base64

import pygame

from pond import Atlas, step_at

atlas = Atlas("pond.json")


def picture(index, mirror):
    frame = atlas.frames[index]
    canvas = pygame.Surface(frame["canvas"], pygame.SRCALPHA)
    atlas.draw(canvas, index, frame["pivot"], mirror)
    return (*frame["canvas"], base64.b64encode(pygame.image.tobytes(canvas, "RGBA")).decode())


for told in ["frame", "mirrored"]:
    for index, frame in enumerate(atlas.frames):
        print(told, frame["sprite"], frame["name"], *picture(index, told == "mirrored"))
for frame in atlas.frames:
    for name, area in frame.get("boxes", {}).items():
        print("box", frame["sprite"], frame["name"], name, *area)
with open("times.txt", encoding="utf-8") as times:
    for line in times.read().splitlines():
        sprite, name, seconds = line.split()
        step = step_at(atlas.clips[f"{sprite}:{name}"], float(seconds))
        mirror = step.get("mirror", False)
        side = "mirrored" if mirror else "upright"
        print("step", line, step["frame"], side, step.get("event", "-"), *picture(step["frame"], mirror))
print("end")
