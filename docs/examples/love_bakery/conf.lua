function love.conf(t)
	t.identity = "love_bakery"
	t.window.width, t.window.height = 320, 200
	t.modules.audio = false
end
