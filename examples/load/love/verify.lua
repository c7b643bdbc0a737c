-- Every frame and box, and every clip at the times of times.txt, for comparison.
return function(atlas)
  -- A frame on a picture of its canvas's size, as text.
  local function picture(index, mirror)
    local frame = atlas.frames[index]
    local width, height = unpack(frame.canvas)
    local target = love.graphics.newCanvas(width, height)
    love.graphics.setCanvas(target)
    love.graphics.clear(0, 0, 0, 0)
    atlas:draw(index, frame.pivot[1], frame.pivot[2], 1, mirror)
    love.graphics.setCanvas()
    return width .. " " .. height .. " " .. love.data.encode("string", "base64", target:newImageData():getString())
  end

  -- Frames count from 0: `#` does not see the first.
  local count = #atlas.frames
  for _, told in ipairs { "frame", "mirrored" } do
    for at = 0, count do
      local frame = atlas.frames[at]
      print(told, frame.sprite, frame.name, picture(at, told == "mirrored"))
    end
  end
  for at = 0, count do
    local frame = atlas.frames[at]
    for name, area in pairs(frame.boxes or {}) do
      print("box", frame.sprite, frame.name, name, unpack(area))
    end
  end
  for line in love.filesystem.lines("times.txt") do
    local sprite, name, seconds = line:match("(%S+) (%S+) (%S+)")
    local step = atlas.step_at(atlas.clips[sprite .. ":" .. name], tonumber(seconds))
    local side = step.mirror and "mirrored" or "upright"
    print("step", sprite, name, seconds, step.frame, side, step.event or "-", picture(step.frame, step.mirror))
  end
  print("end")
end
