"""Every frame of pond.json, for comparison."""

import base64

import pygame

from pond import Atlas

atlas = Atlas("pond.json")
for told in ["frame", "mirrored"]:
    for index, frame in enumerate(atlas.frames):
        canvas = pygame.Surface(frame["canvas"], pygame.SRCALPHA)
        atlas.draw(canvas, index, frame["pivot"], mirror=told == "mirrored")
        width, height = frame["canvas"]
        data = base64.b64encode(pygame.image.tobytes(canvas, "RGBA")).decode()
        print(told, frame["sprite"], frame["name"], width, height, data)
print("end")
