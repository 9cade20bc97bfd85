-- The bakery's night in miniature, for LÖVE.
--
--     opossum record --love docs/examples/love_bakery -- [FAULT]
--
-- Faults: double (the counter listens twice), stale (a customer who left is still called), slow (one update holds a
-- frame up), loop (an update never ends), error (an update fails), name (bread is told of under a wrong name), early (the
-- opening is told before anybody listens), order (listeners are kept in no order), timer (the oven's timer goes on when
-- the oven is gone), queue (dishes are put on a queue that nobody empties), poll (a shelf looks on every frame).  Without a screen: SDL_VIDEODRIVER=offscreen.

local found, opossum = pcall(require, "opossum")
if not found then -- not recorded: the calls do nothing
	opossum = setmetatable({ call = function(_, _, f, ...) return f(...) end }, { __index = function() return function() return {} end end })
end

local fault, clock, breads, steam = "", 0, 0, nil
local listeners = {}

local function listen(ev, o, fn, f)
	local bound = opossum.bind(ev, o, fn)
	table.insert(listeners, { ev = ev, bound = bound, f = f })
end

local function emit(ev, o)
	local s = opossum.send(ev, o)
	for _, listener in ipairs({ unpack(listeners) }) do
		if listener.ev == ev then opossum.call(s, listener.bound, listener.f) end
	end
end

function love.load(arguments)
	fault = arguments[1] or ""
	for o, cls in pairs({ ["oven#1"] = "Oven", ["counter#1"] = "Counter", ["customer#1"] = "Customer" }) do opossum.spawn(o, cls) end
	local function take_bread()
		breads = breads + 1
		opossum.changed()
		opossum.watch("counter#1", "breads", breads)
	end
	listen("bread_ready", "counter#1", "Counter.on_bread", take_bread)
	if fault == "double" then listen("bread_ready", "counter#1", "Counter.on_bread", take_bread) end
	listen("bread_ready", "customer#1", "Customer.on_smell", function() opossum.changed() end)
	if fault == "early" then emit("opened", "counter#1") end
	listen("opened", "counter#1", "Counter.on_open", function() opossum.changed() end)
	if fault ~= "early" then emit("opened", "counter#1") end
	if fault == "timer" then steam = opossum.arm("timer", "lamp#1", "blink", 0.25) opossum.spawn("lamp#1", "Lamp") end
end

local shelf = { loaves = {}, cold = 0 }
function shelf.look(self)
	for _, loaf in ipairs(self.loaves) do
		if loaf > 10 then self.cold = self.cold + 1 end
	end
end
function shelf.turn(self) self.turned = (self.turned or 0) + 1 end

function love.update(dt)
	clock = clock + 1
	if fault == "poll" then
		opossum.call(opossum.send("tick", "", nil, { via = "tick" }), { o = "shelf#1", fn = "Shelf.look" }, shelf.look, shelf)
		opossum.call(opossum.send("tick", "", nil, { via = "tick" }), { o = "shelf#1", fn = "Shelf.turn" }, shelf.turn, shelf)
	end
	if fault == "timer" or fault == "queue" then love.timer.sleep(1 / 60) end -- where no screen sets the pace
	if clock % 20 == 0 then emit(fault == "name" and "bread_raedy" or "bread_ready", "oven#1") end
	if fault == "order" and clock % 4 == 2 and clock < 50 then
		if clock % 8 == 2 then listeners[1], listeners[2] = listeners[2], listeners[1] end
		emit("bread_ready", "oven#1")
	end
	if fault == "queue" and clock == 10 then opossum.put("sink", opossum.send("dish", "counter#1")) end
	if fault == "timer" and clock == 30 then opossum.gone("lamp#1") end
	if clock == 50 then
		opossum.gone("customer#1")
		for i = #listeners, 1, -1 do
			if listeners[i].bound.o == "customer#1" and fault ~= "stale" then
				opossum.unbind(listeners[i].bound)
				table.remove(listeners, i)
			end
		end
		print("the customer goes home")
	end
	if clock == 60 then
		if fault == "slow" then love.timer.sleep(0.8) end
		while fault == "loop" do end
		if fault == "error" then error("the oven is cold") end
	end
	if clock == 90 then love.event.push("closing", 3) end
	if clock >= ((fault == "timer" or fault == "queue") and 390 or 150) then love.event.quit() end
end

function love.handlers.closing(hours)
	print("closing in " .. hours .. " hours")
end

function love.draw() end
