"""Draws frames of a shibori atlas with pygame-ce: python pond.py pond.json [CLIP]"""

import json
import sys
from pathlib import Path

import pygame


class Atlas:
    """A manifest and its pages."""

    def __init__(self, path):
        path = Path(path)
        manifest = json.loads(path.read_text(encoding="utf-8"))
        if manifest["format"] != "shibori/1":
            raise ValueError(f"{path}: not a shibori/1 manifest")
        self.frames = manifest["frames"]
        self.clips = {f"{clip['sprite']}:{clip['name']}": clip for clip in manifest.get("clips", [])}
        self.pages = [pygame.image.load(path.parent / page["file"]) for page in manifest["pages"]]

    def drawing(self, index):
        """The kept pixels of a frame, upright."""
        frame = self.frames[index]
        part = self.pages[frame["page"]].subsurface(pygame.Rect(frame["rect"]))
        # Turned a quarter clockwise on the page: turn it back.
        return pygame.transform.rotate(part, 90) if frame.get("rotated") else part

    def draw(self, target, index, position, mirror=False):
        """Draws a frame with its pivot at a position of whole pixels."""
        frame = self.frames[index]
        if frame["rect"][2] == 0:
            return  # nothing of it shows
        drawing = self.drawing(index)
        inset = frame.get("inset", [0, 0])
        left, top = inset[0] - frame["pivot"][0], inset[1] - frame["pivot"][1]
        if mirror:
            drawing = pygame.transform.flip(drawing, True, False)
            left = -left - drawing.get_width()
        target.blit(drawing, (round(position[0] + left), round(position[1] + top)))


def step_at(clip, seconds):
    """The step that a clip shows after this many seconds."""
    steps = clip["steps"]
    way = steps + (steps[-2:0:-1] if clip.get("play") == "bounce" else [])
    total = sum(step["ticks"] for step in way)
    at = seconds * clip["timescale"]
    plays = clip.get("plays", 0)
    if plays and at >= total * plays:
        return way[-1]
    at %= total
    for step in way:
        if at < step["ticks"]:
            return step
        at -= step["ticks"]
    return way[0]


def main():
    pygame.init()
    screen = pygame.display.set_mode((320, 240), pygame.SCALED)
    atlas = Atlas(sys.argv[1] if len(sys.argv) > 1 else "pond.json")
    clip = atlas.clips[sys.argv[2] if len(sys.argv) > 2 else next(iter(atlas.clips))]
    clock, seconds = pygame.time.Clock(), 0.0
    while not any(event.type == pygame.QUIT for event in pygame.event.get()):
        screen.fill((26, 34, 48))
        step = step_at(clip, seconds)
        atlas.draw(screen, step["frame"], (160, 160), step.get("mirror", False))
        pygame.display.flip()
        seconds += clock.tick(60) / 1000


if __name__ == "__main__":
    main()
