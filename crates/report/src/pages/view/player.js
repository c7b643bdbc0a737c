// Canvases that play while they are seen. A player has a canvas and `draw(force)`; `drawn` is the step that it shows.

export const createPlayers = (margin, onSeen = () => {}) => {
  const players = [];
  const watcher = new IntersectionObserver(
    (entries) => {
      for (const { target, isIntersecting } of entries) {
        target.player.visible = isIntersecting;
        target.player.drawn = -1;
        if (isIntersecting) onSeen(target.player);
      }
    },
    { rootMargin: margin },
  );
  const add = (player) => {
    player.canvas.player = player;
    players.push(player);
    watcher.observe(player.canvas);
    return player;
  };
  const remove = (player) => {
    watcher.unobserve(player.canvas);
    players.splice(players.indexOf(player), 1);
  };
  const redraw = () => {
    for (const player of players) player.drawn = -1;
  };
  // Draws all that is seen, again with every frame of the screen.
  const run = () => {
    for (const player of players) if (player.visible) player.draw();
    requestAnimationFrame(run);
  };
  return { players, add, remove, redraw, run };
};

// Every control of what is behind frames.
export const bindBackground = (look, behind, color, redraw) => {
  behind.addEventListener("change", () => {
    look.behind = behind.value;
    redraw();
  });
  color.addEventListener("input", () => {
    look.color = color.value;
    look.behind = behind.value = "color";
    redraw();
  });
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", redraw);
};
