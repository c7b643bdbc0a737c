-- An atlas in LÖVE: the table that `shibori export pond --template lua` writes, and how a frame is drawn.
local Atlas = {}
Atlas.__index = Atlas

-- Takes the table, `require "pond"`, and reads its pages.
function Atlas.load(tables)
  local self = setmetatable({ frames = tables.frames, clips = {}, pages = {}, quads = {} }, Atlas)
  for at, page in pairs(tables.pages) do
    self.pages[at] = love.graphics.newImage(page.file)
    self.pages[at]:setFilter("nearest", "nearest")
  end
  for at, frame in pairs(tables.frames) do
    local x, y, width, height = unpack(frame.rect)
    -- Where nothing of a frame shows there is nothing to cut out.
    if width > 0 then self.quads[at] = love.graphics.newQuad(x, y, width, height, self.pages[frame.page]) end
  end
  for _, clip in pairs(tables.clips) do
    self.clips[clip.sprite .. ":" .. clip.name] = clip
  end
  return self
end

-- Draws a frame with its pivot at x, y.
function Atlas:draw(index, x, y, scale, mirror)
  local frame, quad = self.frames[index], self.quads[index]
  if not quad then return end
  scale = scale or 1
  -- Where the pivot lies, from the kept pixels' top left.
  local right, down = frame.pivot[1] - frame.inset[1], frame.pivot[2] - frame.inset[2]
  local page, flip = self.pages[frame.page], mirror and -scale or scale
  if frame.rotated then
    -- A quarter clockwise on the page: there, down is left, and right is down. A quarter back makes it upright.
    love.graphics.draw(page, quad, x, y, -math.pi / 2, scale, flip, frame.rect[3] - down, right)
  else
    love.graphics.draw(page, quad, x, y, 0, flip, scale, right, down)
  end
end

-- The step that a clip shows after this many seconds; its last where it has played to the end.
function Atlas.step_at(clip, seconds)
  local way = clip.playback
  if clip.plays > 0 and seconds >= clip.seconds * clip.plays then return way[#way] end
  local at = seconds % clip.seconds
  for _, step in ipairs(way) do
    if at < step.seconds then return step end
    at = at - step.seconds
  end
  return way[#way]
end

return Atlas
