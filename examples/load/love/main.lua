-- Plays the clips of an atlas; space shows the next. With `--verify` it prints every frame instead.
local Atlas = require "atlas"

local atlas, names, playing, seconds = nil, {}, 1, 0

function love.load(arguments)
  atlas = Atlas.load(require "pond")
  if arguments[1] == "--verify" then
    require("verify")(atlas)
    return love.event.quit()
  end
  for name in pairs(atlas.clips) do table.insert(names, name) end
  table.sort(names)
end

function love.update(passed)
  seconds = seconds + passed
end

function love.keypressed(key)
  if key == "space" then playing, seconds = playing % #names + 1, 0 end
end

function love.draw()
  if #names == 0 then return end
  love.graphics.clear(26 / 255, 34 / 255, 48 / 255)
  local step = Atlas.step_at(atlas.clips[names[playing]], seconds)
  atlas:draw(step.frame, love.graphics.getWidth() / 2, love.graphics.getHeight() * 0.6, 4, step.mirror)
  love.graphics.print(names[playing] .. " (space: the next)", 12, 12)
end
