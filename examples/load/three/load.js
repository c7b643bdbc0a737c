// Plays the clips of a scene that `shibori export --to glb` wrote, with three.js.

import { AnimationMixer, LoopOnce, LoopRepeat } from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";

/** Reads a scene. Add `figure.root` to yours and call `figure.update(seconds)` each frame. */
export async function loadFigure(url) {
  const gltf = await new GLTFLoader().loadAsync(url);
  const mixer = new AnimationMixer(gltf.scene);
  let playing = null;
  return {
    root: gltf.scene,
    clips: gltf.animations.map((clip) => clip.name),
    /** Switches to a clip. Clips are switched, never faded: half a scale would be half a figure. */
    play(name) {
      const clip = gltf.animations.find((clip) => clip.name === name);
      if (!clip) throw new Error(`no clip '${name}'; available: ${gltf.animations.map((clip) => clip.name).join(", ")}`);
      playing?.stop();
      playing = mixer.clipAction(clip);
      const { plays } = clip.userData; // 0 means forever
      playing.setLoop(plays === 1 ? LoopOnce : LoopRepeat, plays === 0 ? Infinity : plays);
      playing.clampWhenFinished = true;
      playing.reset().play();
      mixer.update(0);
    },
    update: (seconds) => mixer.update(seconds),
    /** What happens in a clip: `[{ seconds, name }]`, from its beginning. Boxes are in the `userData` of meshes. */
    events: (name) => gltf.animations.find((clip) => clip.name === name)?.userData.events ?? [],
  };
}
