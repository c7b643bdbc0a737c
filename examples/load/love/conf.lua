function love.conf(settings)
  settings.identity = "shibori-pond"
  settings.window.title = "A Shibori atlas"
  settings.window.width, settings.window.height = 640, 480
  settings.modules.audio, settings.modules.physics = false, false
end
