-- Records a LÖVE 11 game: frames, phases, callbacks, the event queue, sounds, print; what the engine has no notion of
-- (listeners, objects' lives, timers) the game says by one call each.  Without OPOSSUM_STREAM in the environment every
-- function does nothing (and `call` only calls), so a game may keep its calls.
--
-- OPOSSUM_STREAM is a file, or link:HOST:PORT of an Opossum that listens.  The file is opened for appending and flushed
-- before each callback runs, so a game that dies leaves everything.  Over the link a thread of its own sends, and asks
-- again and again until somebody listens; the game never waits for it: what comes while it is too far behind is dropped
-- and counted.  That thread also writes `stuck` while a frame does not end.  Over the link Opossum may ask the game to be
-- held at a call, a send or a frame; if it goes away, the game goes on.
--
-- One file, long as it is, because one file is copied into a game.

local utf8 = require("utf8")
local R = { lost = 0 }
local path = os.getenv("OPOSSUM_STREAM")
local link = path and path:match("^link:(.+)$")
local MOST_WAITING = 2000 -- portions of lines, each of a frame or a call
local SENDING_S, CALLING_S = 6, 2 -- how long a game that ends waits for what is still to be sent, and for somebody to listen
local QUEUE = "events"
local STUCK_AFTER = 0.25
local PHASES = { update = "update", draw = "draw" }
local INPUTS = {
	keypressed = "down", keyreleased = "up", mousepressed = "down", mousereleased = "up", gamepadpressed = "down",
	gamepadreleased = "up", joystickpressed = "down", joystickreleased = "up", touchpressed = "down", touchreleased = "up",
	mousemoved = "held", touchmoved = "held", wheelmoved = "down", textinput = "down",
}
local CALLBACKS = { "load", "update", "draw", "quit", "focus", "mousefocus", "visible", "resize", "lowmemory",
	"threaderror", "filedropped", "directorydropped", "textedited", "displayrotated", "joystickadded", "joystickremoved",
	"gamepadaxis", "joystickaxis", "joystickhat" }
for name in pairs(INPUTS) do CALLBACKS[#CALLBACKS + 1] = name end

local file, begin, beat, now
local sender, outbox, untold, told_at = nil, nil, 0, 0
local lines, count = {}, 0
local ids = { s = 0, c = 0, b = 0, a = 0, y = 0 }
local calls, frame, phase, is_idle = {}, -1, nil, true
local asked -- what Opossum asks for, over the link
local wires, stop_at, watching, held = {}, nil, false, false
local sent, ran, classes, gone = {}, {}, {}, {} -- of this frame, and of objects, for the tripwires
local watched, tables = {}, setmetatable({}, { __mode = "v" }) -- what Opossum asks to be told of; objects by name, held weakly
local current -- the send that is being delivered
local posted = {} -- sends on the queue by event, first in first out

local ESCAPES = { ['"'] = '\\"', ["\\"] = "\\\\", ["\n"] = "\\n", ["\r"] = "\\r", ["\t"] = "\\t" }
local function quote(text)
	local told, shown = pcall(tostring, text) -- what shows itself may fail
	shown = (told and type(shown) == "string" and shown or "a " .. type(text) .. " that cannot be shown"):sub(1, 2000)
	if shown:find("[\128-\255]") then -- bytes that are no text
		shown = shown:gsub("\237[\160-\191]", "??") -- halves of UTF-16, which Lua takes for characters
		local known, at = utf8.len(shown)
		while not known do
			shown = shown:sub(1, at - 1) .. "?" .. shown:sub(at + 1)
			known, at = utf8.len(shown)
		end
	end
	return '"' .. shown:gsub('[%c"\\]', function(c)
		return ESCAPES[c] or string.format("\\u%04x", c:byte())
	end) .. '"'
end

-- The number of a record, as it was given out.
local function id(v)
	if type(v) ~= "number" or v < 1 or v ~= math.floor(v) or v > 2 ^ 53 then error("no number of a record") end
	return string.format("%d", v)
end

-- How many things changed, as far as it is a number that a game means.
local function whole(n)
	if type(n) ~= "number" or not (n >= -2 ^ 40 and n <= 2 ^ 40) then error("no number of changes") end
	return math.floor(n)
end

-- A number as JSON holds it: what is none, or none that a game means, is "null".
local function number(v)
	v = tonumber(v)
	if not v or v ~= v or v > 1e12 or v < -1e12 then return "null" end
	return string.format("%.10g", v)
end

local function shown_value(v, left, depth)
	local kind = type(v)
	if kind == "number" then
		return number(v)
	elseif kind == "boolean" then return tostring(v)
	elseif kind == "table" and depth < 3 then
		local parts = {}
		if #v > 0 then
			for i = 1, math.min(#v, 50) do
				left.items = left.items - 1
				if left.items < 0 then break end
				parts[i] = shown_value(rawget(v, i), left, depth + 1)
			end
			return "[" .. table.concat(parts, ",") .. "]"
		end
		for name, part in next, v do
			left.items = left.items - 1
			if left.items < 0 or #parts >= 50 then break end
			parts[#parts + 1] = quote(name) .. ":" .. shown_value(part, left, depth + 1)
		end
		return "{" .. table.concat(parts, ",") .. "}"
	elseif v == nil then return "null" end
	return quote(v)
end

-- Any value as JSON of bounded length; none of its own code but `tostring` runs.
local function value(v)
	local text = shown_value(v, { items = 200 }, 0)
	return #text <= 4096 and text or quote(text:sub(1, 1500) .. "…")
end

-- A file's face for the link: what is written is handed to the thread that sends.
local Linked = {}
Linked.__index = Linked
function Linked:write(text)
	if outbox:getCount() >= MOST_WAITING then
		untold = untold + count
		return nil
	end
	if untold > 0 then
		text = string.format('{"k":"lost","t":%.0f,"n":%d}\n', self.last, untold) .. text
		untold = 0
	end
	outbox:push(text)
	self.last = (now() - begin) * 1e9
	return true
end
function Linked:flush() end
function Linked:close()
	local patience = now() + SENDING_S
	while sender:isRunning() and now() < patience do love.timer.sleep(0.005) end
end

local function flush()
	if count > 0 and file then
		local text = table.concat(lines, "", 1, count)
		if not link and untold > 0 then -- after a full disk: end the line that it cut, and tell
			text = string.format('\n{"k":"lost","t":%.0f,"n":%d}\n', told_at, untold) .. text
		end
		if file:write(text) then
			if not link then untold, told_at = 0, (now() - begin) * 1e9 end
		else
			R.lost = R.lost + count
			if not link then untold = untold + count end
		end
		count = 0
	end
end

local function record(kind, fields)
	if not file then return end
	count = count + 1
	lines[count] = string.format('{"k":"%s","t":%.0f%s}\n', kind, (now() - begin) * 1e9, fields or "")
	if count > 400 then flush() end
end

local function new(kind)
	ids[kind] = ids[kind] + 1
	return ids[kind]
end

local function field(name, text)
	if text == nil or text == "" then return "" end
	return ',"' .. name .. '":' .. quote(text)
end

local function cause()
	local open = calls[#calls]
	if not open then return "" end
	open.sends = open.sends + 1
	return ',"c":' .. open.id
end

-- The call that something else than a send happens in.
local function within()
	local open = calls[#calls]
	return open and ',"c":' .. open.id or ""
end

local function place(f)
	local info = type(f) == "function" and debug.getinfo(f, "S")
	if not info or info.what == "C" then return nil end
	return info.short_src:gsub("opossum_game_main%.lua", "main.lua") .. ":" .. info.linedefined
end

-- what the thread that watches is told: the moment, and the calls that are open
local function tell_beat()
	if not beat then return end
	local stack = {}
	for i = #calls, 1, -1 do stack[#stack + 1] = calls[i].shown end
	beat:performAtomic(function(channel)
		channel:clear()
		channel:push({ moment = now(), idle = is_idle, stack = stack, call = calls[#calls] and calls[#calls].id or 0 })
	end)
end

-- --- what Opossum asks for: tripwires, steps, holds -----------------------------------------------------

-- The value that a text of JSON begins with at `at`, and where it ends. What is not understood is an error.
local function parsed(text, at)
	at = text:find("%S", at)
	local letter = text:sub(at, at)
	if letter == '"' then
		local parts, place = {}, at + 1
		while true do
			local ended = text:find('["\\\\]', place)
			parts[#parts + 1] = text:sub(place, ended - 1)
			if text:sub(ended, ended) == '"' then return table.concat(parts), ended + 1 end
			local escaped = text:sub(ended + 1, ended + 1)
			parts[#parts + 1] = ({ n = "\n", t = "\t", r = "\r" })[escaped] or escaped
			place = ended + 2
		end
	elseif letter == "{" or letter == "[" then
		local made, closing = {}, letter == "{" and "}" or "]"
		at = text:find("%S", at + 1)
		while text:sub(at, at) ~= closing do
			local name = #made + 1
			if letter == "{" then
				name, at = parsed(text, at)
				at = text:find(":", at, true) + 1
			end
			made[name], at = parsed(text, at)
			at = text:find("%S", at)
			if text:sub(at, at) == "," then at = at + 1 end
		end
		return made, at + 1
	end
	local word = text:match("^[%w%.%+%-]+", at)
	if word == "true" or word == "false" then return word == "true", at + #word end
	return word ~= "null" and assert(tonumber(word)) or nil, at + #word
end

local function globbed(text, pattern)
	pattern = pattern:gsub("[%^%$%(%)%%%.%[%]%+%-]", "%%%0"):gsub("%*", ".*"):gsub("%?", ".")
	return text:find("^" .. pattern .. "$") ~= nil
end

local function compares(data, condition)
	local path, how, wanted = condition[1], condition[2], condition[3]
	for part in tostring(path):gmatch("[^.]+") do
		if type(data) ~= "table" then return false end
		data = data[part] ~= nil and data[part] or data[tonumber(part)]
	end
	if data == nil then return false end
	if how == "==" then return data == wanted elseif how == "!=" then return data ~= wanted end
	if type(data) ~= type(wanted) or type(data) == "boolean" or type(data) == "table" then return false end
	return how == "<" and data < wanted or how == "<=" and data <= wanted or how == ">" and data > wanted or how == ">=" and data >= wanted
end

local function obey(told)
	if told.k == "hold" then stop_at = "any"
	elseif told.k == "go" then stop_at, held = nil, false
	elseif told.k == "step" then stop_at, held = told.by == "frame" and "frame" or "call", false
	elseif told.k == "trip" and type(told.when) == "table" then wires[told.id or 0] = { when = told.when, hits = 0 }
	elseif told.k == "untrip" then wires[told.id or 0] = nil
	elseif told.k == "watch" and type(told.o) == "string" and told.name ~= nil then watched[told.id or 0] = { o = told.o, name = told.name }
	elseif told.k == "unwatch" then watched[told.id or 0] = nil
	elseif told.k == "left" then wires, watched, stop_at, held = {}, {}, nil, false end
	watching = stop_at ~= nil or next(wires) ~= nil
end

local function hear(line)
	local ok, told = pcall(parsed, line, 1)
	if ok and type(told) == "table" then obey(told) end
end

-- What Opossum asked for of objects that live, where it has changed: raw, so that none of the game's code runs.
local function read_watched()
	for _, entry in pairs(watched) do
		local t = tables[entry.o]
		local v = type(t) == "table" and rawget(t, entry.name)
		local kind, told = type(v), nil
		if type(t) ~= "table" or v == nil then
			if not entry.last then
				record("say", field("text", "Opossum: " .. entry.o .. " " .. tostring(entry.name) .. " cannot be watched: no listener of that object has run, or it has no such field of its own"))
				entry.last = ""
			end
		elseif kind == "number" or kind == "boolean" then told = value(v)
		elseif kind == "string" then told = quote(v)
		elseif kind == "table" then
			local n = 0
			for _ in next, v do n = n + 1 end
			told = quote("table of " .. n)
		else told = quote("a " .. kind) end
		if told and told ~= entry.last then
			record("watch", field("o", entry.o) .. field("name", entry.name) .. ',"v":' .. told)
			entry.last = told
		end
	end
end

-- Keep the game here until Opossum lets it go, or goes away.
local function hold(wire, call, returned)
	held, stop_at = true, nil
	local idle, stack = is_idle, {}
	if returned then stack[1] = quote(returned.shown) end
	for i = #calls, 1, -1 do stack[#stack + 1] = quote(calls[i].shown) end
	is_idle = true -- the watch rests
	tell_beat()
	if next(watched) then read_watched() end
	record("held", (wire and ',"trip":' .. wire or "") .. (call and ',"c":' .. call.id or "") .. ',"stack":[' .. table.concat(stack, ",") .. "]")
	flush()
	while held do
		local line = asked:demand(0.1)
		if line then hear(line) end
		if not sender:isRunning() then obey({ k = "left" }) end
	end
	is_idle = idle
	record("went")
	flush()
	tell_beat()
end

local function look(what, names, data, call, again)
	for number, wire in pairs(wires) do
		local when = wire.when
		local meant = not when.longer_ms and (when.at or "call") == what and (not when.gone or gone[names.o]) and (not when.again or again)
		for _, name in ipairs({ "ev", "o", "cls", "fn", "via" }) do
			meant = meant and (not when[name] or globbed(names[name] or "", when[name]))
		end
		if meant and (not when.value or compares(data, when.value)) then
			wire.hits = wire.hits + 1
			if not when.count or wire.hits == when.count then return hold(number, call) end
		end
	end
end

local function look_back(call)
	for number, wire in pairs(wires) do
		local when = wire.when
		if when.longer_ms and call.began and (now() - call.began) * 1000 > when.longer_ms and (not when.fn or globbed(call.fn, when.fn)) then
			return hold(number, call, call)
		end
	end
end

-- Say that an event occurred; returns its id. `more`: fields by name (via, q, key, edge, a).
function R.send(ev, o, d, more)
	if not file then return 0 end
	local s = new("s")
	local text = ""
	for name, part in pairs(more or {}) do
		text = text .. "," .. quote(name) .. ":" .. (type(part) == "number" and number(part) or quote(part))
	end
	record("send", ',"s":' .. s .. field("ev", ev) .. field("o", o) .. cause() .. text .. (d ~= nil and ',"d":' .. value(d) or ""))
	if watching then
		local via = more and more.via or "direct"
		sent[s] = { ev = ev, via = via, d = d }
		look("send", { ev = ev, o = o, cls = classes[o], via = via }, d)
	end
	return s
end

-- What can be seen of a listener's own table: what it holds and, one step on, what the tables hold that it holds; raw,
-- so that none of the game's code runs.
local LOOKED_AT_FIRST, LOOKED_AT, MOST_ITEMS = 64, 16, 64
local times = setmetatable({}, { __mode = "k" })
local function contents(t)
	local seen, count = {}, 0
	for k, v in next, t do
		count = count + 1
		if count > MOST_ITEMS then break end
		seen[k] = v
	end
	return seen
end
local function seen_of(t)
	local seen = { own = contents(t), held = {} }
	for _, v in next, seen.own do
		if type(v) == "table" and v ~= t then seen.held[v] = contents(v) end
	end
	return seen
end
local function differs(before, t)
	for k, v in next, before do
		if not rawequal(rawget(t, k), v) then return true end
	end
	local count = 0
	for k in next, t do
		count = count + 1
		if count > MOST_ITEMS then break end
		if before[k] == nil then return true end
	end
	return false
end
local function changed_own(call)
	if differs(call.before.own, call.owner) then return 1 end
	for t, contents_before in next, call.before.held do
		if differs(contents_before, t) then return 1 end
	end
	return 0
end

-- End a call and what ran within it. What a coroutine ends that began it in an earlier turn stands there no more.
local function leave(call)
	for i = #calls, 1, -1 do
		if calls[i] == call then
			for j = #calls, i, -1 do calls[j] = nil end
			return
		end
	end
end

local function finish(call, ok, ...)
	if call.before then call.own = (call.own or 0) + changed_own(call) end
	leave(call)
	local eff = call.changes and ',"eff":' .. (call.changes + call.sends) or ""
	local own = call.own and ',"own":' .. (call.own + call.sends) or ""
	record("ret", ',"c":' .. call.id .. eff .. own .. (ok and "" or field("err", (...))))
	if watching then look_back(call) end
	tell_beat()
	flush() -- else a loop in the caller would be taken for one in here
	if not ok then error((...), 0) end
	return ...
end

-- The place where an error was raised goes with it, for passing it on would hide it.
local function traced(message)
	message = tostring(message)
	return message:find("stack traceback", 1, true) and message or debug.traceback(message, 2)
end

local function look_at_call(s, o, fn, call)
	local of = sent[s] or {}
	local key = o .. fn .. (of.ev or "") -- bound once or twice, it is one listener
	local again = ran[key]
	ran[key], call.fn, call.began = true, fn, now()
	if stop_at == "call" or stop_at == "any" then
		hold(nil, call)
	else
		look("call", { ev = of.ev, o = o, cls = classes[o], fn = fn, via = of.via }, of.d, call, again)
	end
end

-- Run a function as one call for a send; b is a listener's number or nil. Errors pass through.
local function run(s, b, o, fn, f, ...)
	if type(fn) ~= "string" then fn = "listener" end
	s = type(s) == "number" and s or 0
	local call = { id = new("c"), sends = 0, f = f, runs = fn, shown = fn .. (place(f) and " " .. place(f) or "") }
	record("call", ',"c":' .. call.id .. ',"s":' .. s .. (b and ',"b":' .. b or "") .. field("o", o) .. field("fn", fn) .. field("at", place(f)))
	calls[#calls + 1] = call
	local owner = ...
	if type(owner) == "table" then
		if link then tables[o] = owner end
		local n = (times[f] or 0) + 1
		times[f] = n
		if n <= LOOKED_AT_FIRST or n % LOOKED_AT == 0 then call.owner, call.before = owner, seen_of(owner) end
	end
	tell_beat()
	flush()
	if watching then look_at_call(s, o, fn, call) end
	return finish(call, xpcall(f, traced, ...))
end

-- What the game says: objects, listeners, timers, values.
function R.spawn(o, cls)
	record("spawn", field("o", o) .. field("cls", cls) .. within())
	if link then classes[o], gone[o] = cls, nil end
end
function R.gone(o)
	record("gone", field("o", o) .. within())
	if link then gone[o] = true end
end
function R.bind(ev, o, fn, src)
	if not file then return { ev = ev, o = o, fn = fn } end
	local b = new("b")
	record("bind", ',"b":' .. b .. field("ev", ev) .. field("o", o) .. field("fn", fn) .. field("src", src) .. within())
	return { number = b, ev = ev, o = o, fn = fn }
end
function R.unbind(bound) if bound.number then record("unbind", ',"b":' .. id(bound.number) .. within()) end end
-- Call a listener's function for a send.
function R.call(s, bound, f, ...)
	if not file then return f(...) end
	return run(s, bound.number, bound.o, bound.fn, f, ...)
end
-- Say that the running listener changed n things (0: it ran for nothing).
function R.changed(n)
	local call = calls[#calls]
	if call then call.changes = (call.changes or 0) + whole(n or 1) end
end
-- Say that n things of what can be seen of the running listener's owner changed: weaker than `changed`.
function R.seemed(n)
	local call = calls[#calls]
	if call then call.own = (call.own or 0) + whole(n) end
end
-- Say that a send was put on a queue of the game's own instead of being delivered, and that it was pulled off.
function R.put(q, s) if file then record("put", field("q", q) .. ',"s":' .. id(s) .. within()) end end
function R.pull(q, s) if file then record("pull", field("q", q) .. ',"s":' .. id(s)) end end
function R.arm(what, o, ev, sec)
	if not file then return 0 end
	local a = new("a")
	record("arm", ',"a":' .. a .. field("what", what) .. field("o", o) .. field("ev", ev) .. string.format(',"sec":%s,"loop":%s', number(sec), tostring(what == "timer")) .. within())
	return a
end
function R.disarm(a, how) if file then record("disarm", ',"a":' .. id(a) .. field("how", how or "cleared") .. within()) end end
function R.watch(o, name, v) record("watch", field("o", o) .. field("name", name) .. ',"v":' .. value(v)) end
function R.say(text, level) record("say", field("text", text) .. field("level", level)) end

-- --- the game's own functions --------------------------------------------------------------------

-- What `love.update` and `love.draw` call once a frame, by themselves or through what only hands on, is recorded, and so is
-- what those call once a frame for each of several objects.  For some frames now and then the interpreter tells of every
-- call (LuaJIT compiles nothing meanwhile); what came in nearly all of their runs is replaced where it stands.
local LOOKED_RUNS, LOOKED_FRAMES, FEWEST_RUNS, NEARLY_ALL, DEEPEST = 12, 60, 6, 0.75, 3
local MOST_OBJECTS, MOST_RUNS = 40, 200 -- of one function that are recorded, and runs of a frame
local TOLD_RUNS = 8 -- of a frame, that are in the file before they begin
local MOST_SEEN, LONGEST_LOOK_S = 20000, 0.012 -- calls, and time, of a frame that is looked at
local SOONEST_S, LATEST_S, SILENT_RUNS = 1, 64, 10
local looks = { under_way = true, runs_left = LOOKED_RUNS, frames_left = LOOKED_FRAMES, wait = SOONEST_S, again_at = 0, silent = 0, silent_wait = SOONEST_S,
	ended = 0, runs = 0, of_update = 0, dropped = 0, new = false, turn = false }
local turns, known, foreign = setmetatable({}, { __mode = "k" }), setmetatable({}, { __mode = "k" }), setmetatable({}, { __mode = "k" })
local objects, numbers = setmetatable({}, { __mode = "k" }), {} -- names of objects; how many there were of each class
local seen, seen_calls, seen_until, compiles = {}, 0, 0, false

local function is_games_own(f)
	local info = debug.getinfo(f, "S")
	return info.what ~= "C" and info.source:sub(1, 1) == "@" and not info.source:find("opossum%.lua$")
end

local function of_turn(f)
	local of = seen[f]
	if not of then
		of = { runs = 0, called = {} }
		seen[f] = of
	end
	return of
end

-- The interpreter tells of a call: who is called by a turn, and for which object.
local function seen_call()
	seen_calls = seen_calls + 1
	if seen_calls > MOST_SEEN or (seen_calls % 256 == 0 and now() > seen_until) then return debug.sethook() end
	local info = debug.getinfo(2, "f")
	local f = info and info.func
	if not f or foreign[f] then return end -- what goes wrong in here would go wrong in the game
	if turns[f] then of_turn(f).runs = of_turn(f).runs + 1 end
	local above, open = debug.getinfo(3, "f"), calls[#calls]
	local caller = above and above.func
	-- what a turn called last takes its place
	if caller == xpcall and open and open.f ~= f then caller = open.f end
	if not caller or not turns[caller] then return end
	if not is_games_own(f) then
		foreign[f] = true
		return
	end
	local of = of_turn(caller)
	local entry = of.called[f]
	if not entry then
		entry = { runs = 0, objects = 0, most = 0, often = false }
		of.called[f] = entry
	end
	if entry.run ~= of.runs then entry.run, entry.runs, entry.now, entry.count = of.runs, entry.runs + 1, {}, 0 end
	local _, first = debug.getlocal(2, 1)
	local key = type(first) == "table" and first or "nobody"
	if entry.now[key] then entry.often = true end
	entry.now[key], entry.count, entry.self = true, entry.count + 1, type(first) == "table" and first or entry.self
	entry.objects, entry.most = entry.objects + 1, math.max(entry.most, entry.count)
end

local function key_of(t, v)
	for k, held_there in next, t do
		if rawequal(held_there, v) then return k end
	end
end

-- What the line that a function begins on calls it: the table, or nil, and the name; `Player` and `update` of `function Player:update()`.
local function name_in_source(f)
	local info, line_number = debug.getinfo(f, "S"), 0
	local done, named = pcall(function()
		local file_name = info.source:sub(2)
		if file_name == "main.lua" then file_name = "opossum_game_main.lua" end -- what lies there is the recorder's
		for line in love.filesystem.lines(file_name) do
			line_number = line_number + 1
			if line_number == info.linedefined then
				return line:match("function%s+([%w_.:]+)%s*%(") or line:match("([%w_.:]+)%s*=%s*function%s*%(")
			end
		end
	end)
	if not done or not named then return nil, nil end
	local of, name = named:match("^(.*)[.:]([%w_]+)$")
	return of, name or named
end

-- Where a function stands that a turn calls: how to put another in its place, the name it has there, and in which table.
local function place_in_game(f, caller, self)
	local t, steps = self, 0
	while type(t) == "table" and steps < 8 do
		local k = key_of(t, f)
		if k ~= nil then return function(w) rawset(t, k, w) end, k, t end
		local meta = debug.getmetatable(t)
		t, steps = meta and rawget(meta, "__index"), steps + 1
	end
	for i = 1, 255 do
		local name, v = debug.getupvalue(caller, i)
		if not name then break end
		if rawequal(v, f) then return function(w) debug.setupvalue(caller, i, w) end, name, nil end
		local k = type(v) == "table" and key_of(v, f)
		if k then return function(w) rawset(v, k, w) end, k, v end
	end
	local env = getfenv and getfenv(caller) or _G
	local k = key_of(env, f)
	if k then return function(w) rawset(env, k, w) end, k, nil end
	for _, all in ipairs({ env, package.loaded }) do
		for _, held_there in next, all do
			k = type(held_there) == "table" and key_of(held_there, f)
			if k then return function(w) rawset(held_there, k, w) end, k, held_there end
		end
	end
end

local function finish_own(call, told, ok, ...)
	leave(call)
	record("ret", ',"c":' .. call.id .. (ok and "" or field("err", (...))))
	if watching then look_back(call) end
	if told then flush() end
	if not ok then error((...), 0) end
	return ...
end

-- Stands in for one of the game's functions: recorded while a turn runs that calls it, else only run.
local function stand_in(f, fn, owner, cls, put)
	local mine = { put = function() put(f) end, fn = fn, runs = 0 }
	local at = place(f)
	local shown, fields = fn .. (at and " " .. at or ""), field("fn", fn) .. field("at", at)
	local of_owner = field("o", owner)
	return function(...)
		local open = calls[#calls]
		if not file or not open or not turns[open.f] then return f(...) end
		if mine.frame ~= frame then mine.frame, mine.runs = frame, 0 end
		mine.runs = mine.runs + 1
		if not looks.busiest or mine.runs > looks.busiest.runs then looks.busiest = mine end
		if looks.runs >= MOST_RUNS then
			looks.dropped = looks.dropped + 1
			return f(...)
		end
		looks.runs = looks.runs + 1
		if calls[1].runs == "love.update" then looks.of_update = looks.of_update + 1 end
		local first, o, of_object = ..., owner, of_owner
		if cls and type(first) == "table" then
			o = objects[first]
			if not o then
				numbers[cls] = (numbers[cls] or 0) + 1
				o = cls .. "#" .. numbers[cls]
				objects[first] = o
			end
			of_object = field("o", o)
			if link then tables[o] = first end
		end
		local ran_before = open.turn and open.ran[f]
		if not open.turn or (ran_before and ran_before[o]) then -- a function that runs again for one object does so for something else
			open.turn, open.ran = R.send("frame of " .. open.runs, nil, nil, { via = "tick" }), {}
			ran_before = nil
		end
		if not ran_before then
			ran_before = {}
			open.ran[f] = ran_before
		end
		ran_before[o] = true
		local told = looks.runs <= TOLD_RUNS
		local call = { id = new("c"), sends = 0, f = f, runs = fn, shown = shown }
		record("call", ',"c":' .. call.id .. ',"s":' .. open.turn .. of_object .. fields)
		calls[#calls + 1] = call
		if told then flush() end
		if watching then look_at_call(open.turn, o, fn, call) end
		return finish_own(call, told, xpcall(f, traced, ...))
	end
end

local function record_own(f, caller, self)
	known[f] = true
	local put, key, t = place_in_game(f, caller, self)
	if not put then return end
	local of, name = name_in_source(f)
	local file_name = debug.getinfo(f, "S").source:match("([^/@]+)%.lua$") or "game"
	if of == "self" or of == "M" then of = file_name end -- what many files call their own table
	local is_method = type(self) == "table" and self ~= t and t ~= nil
	local owner = of or file_name
	put(stand_in(f, (of and of .. "." or is_method and file_name .. "." or "") .. (name or tostring(key)), owner, is_method and owner or nil, put))
	-- what objects call in their turn is their own affair: it would be more than can be read
	if not turns[caller].records then turns[f] = { depth = DEEPEST, records = true, updates = turns[caller].updates } end
	looks.new = true
end

-- After some frames that were looked at: what is a turn, and what is recorded.
local function judge()
	for caller, of in pairs(seen) do
		local turn, called, once = turns[caller], of.called, {}
		for f, entry in pairs(called) do
			if entry.runs >= math.max(FEWEST_RUNS, NEARLY_ALL * of.runs) and not entry.often and entry.most <= MOST_OBJECTS then
				local several = entry.objects >= 2 * entry.runs -- what many objects draw says little for what it costs
				if several and turn.updates or not (several or turn.records) then once[#once + 1] = f end
			end
		end
		local only = #once == 1 and once[1]
		if only and not known[only] and not turn.records and turn.depth < DEEPEST and called[only].most == 1 then
			known[only] = true
			turns[only] = { depth = turn.depth + 1, by = caller, self = called[only].self, updates = turn.updates }
			looks.new, looks.turn, turn.found = true, true, true
		else
			for _, f in ipairs(once) do
				if not known[f] then record_own(f, caller, called[f].self) end
			end
			turn.found = turn.found or #once > 0
		end
	end
	-- a turn that hands on to nothing is the function itself
	for f, turn in pairs(turns) do
		if turn.by and not turn.found and not turn.records then
			if turn.looked then record_own(f, turn.by, turn.self) end
			turn.looked = true
		end
	end
end

local function end_look()
	if jit and compiles then jit.on() end
	local done = pcall(judge)
	seen = {}
	looks.wait = not done and math.huge or looks.new and SOONEST_S or math.min(2 * looks.wait, LATEST_S)
	looks.silent_wait = looks.new and SOONEST_S or math.min(2 * looks.silent_wait, LATEST_S)
	looks.under_way, looks.ended, looks.silent = false, now(), 0
	looks.again_at = looks.ended + (looks.turn and done and 0 or looks.wait) -- what a turn calls is looked at right away
	looks.new, looks.turn = false, false
end

-- Once a frame: see whether to look, or to look no more.
local function plan_look()
	if looks.dropped > 0 then -- too much is recorded: without what runs most often it is enough
		record("lost", ',"n":' .. 2 * looks.dropped)
		record("say", field("text", "Opossum: " .. looks.busiest.fn .. " is recorded no more, for it runs " .. looks.busiest.runs .. " times a frame"))
		looks.busiest.put()
	end
	looks.runs, looks.dropped, looks.busiest = 0, 0, nil
	if looks.under_way then
		looks.frames_left = looks.frames_left - 1
		if looks.frames_left <= 0 or looks.runs_left <= 0 then end_look() end
		return
	end
	-- another part of the game runs now, if nothing that is known does any more
	local silent = looks.silent >= SILENT_RUNS and now() >= looks.ended + looks.silent_wait
	if looks.wait < math.huge and (now() >= looks.again_at or silent) then
		looks.under_way, looks.runs_left, looks.frames_left = true, LOOKED_RUNS, LOOKED_FRAMES
		compiles = jit and jit.status()
		if compiles then
			jit.off()
			jit.flush()
		end
	end
end

local function run_callback(s, o, fn, f, ...) return run(s, nil, o, fn, f, ...) end

local function unhooked(...)
	debug.sethook()
	return ...
end

-- Run a turn, `love.update` or `love.draw`, and be told of its calls while they are looked at.
local function run_turn(s, o, fn, f, ...)
	turns[f] = turns[f] or { depth = 0, updates = fn == "love.update" }
	if fn == "love.update" then
		looks.silent = looks.of_update == 0 and next(known) and looks.silent + 1 or 0
		if looks.of_update > 0 then looks.silent_wait = SOONEST_S end
		looks.of_update = 0
	end
	if not looks.under_way or debug.gethook() then return run(s, nil, o, fn, f, ...) end
	if fn == "love.update" then looks.runs_left = looks.runs_left - 1 end
	seen_calls, seen_until = 0, now() + LONGEST_LOOK_S
	debug.sethook(seen_call, "c")
	return unhooked(run(s, nil, o, fn, f, ...))
end

-- --- the engine ----------------------------------------------------------------------------------

local function enter_phase(name)
	if name ~= phase and frame >= 0 then
		phase = name
		record("phase", field("name", name))
	end
end

local function around(owner, name, before)
	local original = owner and owner[name]
	if not original then return end
	owner[name] = function(...)
		before(...)
		return original(...)
	end
end

local WATCHER = [[
local path, begin, after, link, head, patience = ...
require "love.timer"
local beat, stop = love.thread.getChannel("opossum_beat"), love.thread.getChannel("opossum_stop")
local outbox = love.thread.getChannel("opossum_outbox")
local file, told, pause, tell = nil, nil, after / 2, nil

local function stuck_line()
	local last = beat:peek()
	local stuck = last and not last.idle and love.timer.getTime() - last.moment or 0
	if stuck < after then
		pause = after / 2
		return
	end
	local seen = beat:peek()
	if not seen or seen.moment ~= last.moment then return end -- it moved on while this thread waited for its turn
	pause = math.min(pause * 1.5, 5)
	local stack = {}
	for i, line in ipairs(last.stack) do stack[i] = '"' .. line:gsub('[%c"\\]', " ") .. '"' end
	return string.format('{"k":"stuck","t":%.0f,"th":"watch","sec":%.3f,"stack":[%s]%s}\n', (love.timer.getTime() - begin) * 1e9,
		stuck, table.concat(stack, ","), last.call > 0 and ',"c":' .. last.call or "")
end

if not link then
	file = io.open(path, "a")
	while file and not stop:demand(pause) do
		local line = stuck_line()
		if line then
			file:write(line)
			file:flush()
		end
	end
	return
end

local socket = require "socket"
local asked, silent, heard = love.thread.getChannel("opossum_asked"), 10, love.timer.getTime()
local host, port = link:match("^(.*):(%d+)$")

local function connected()
	local connection = socket.tcp()
	connection:settimeout(1)
	if not connection:connect(host ~= "" and host or "127.0.0.1", tonumber(port)) then
		connection:close()
		return nil
	end
	connection:setoption("tcp-nodelay", true)
	heard = love.timer.getTime()
	return connection:send(head) and connection
end

-- Answer what is asked: a ping is, by its own words and the game's time.
local function answer(connection)
	connection:settimeout(0)
	while true do
		local line, problem = connection:receive("*l")
		if not line then
			return problem ~= "closed" and love.timer.getTime() - heard < silent or nil
		end
		heard = love.timer.getTime()
		if line:find('"k":"refuse"', 1, true) then return nil, true end
		if not line:find('"k":"ping"', 1, true) then asked:push(line) end
		local id, t = line:match('"id":(%-?%d+)'), line:match('"t":(%-?%d+)')
		if line:find('"k":"ping"', 1, true) and id and t then
			connection:settimeout(1)
			if not connection:send(string.format('{"k":"pong","id":%s,"t":%s,"g":%.0f}\n', id, t, (love.timer.getTime() - begin) * 1e9)) then return nil end
			connection:settimeout(0)
		end
	end
end

local refused, given_up = false, nil
while not refused do
	local connection = connected()
	local looked = love.timer.getTime()
	while connection do
		local going, no = answer(connection)
		refused = no or false
		if not going then break end
		local text = outbox:demand(0.02)
		connection:settimeout(5)
		if text and not connection:send(text) then break end
		if love.timer.getTime() - looked > pause then
			looked = love.timer.getTime()
			local line = stuck_line()
			if line and not connection:send(line) then break end
		end
		if not text and stop:peek() then
			-- hear the other side out: closing over unread answers would cut the last lines off
			connection:shutdown("send")
			connection:settimeout(0.2)
			local patient_till = love.timer.getTime() + 1
			repeat local _, problem = connection:receive("*l") until problem == "closed" or love.timer.getTime() > patient_till
			connection:close()
			return
		end
	end
	if connection then
		connection:close()
		asked:push('{"k":"left"}')
	end
	if stop:peek() then
		given_up = given_up or love.timer.getTime() + patience
		if love.timer.getTime() > given_up then return end
	end
	love.timer.sleep(0.2)
end
]]

local function watch_callbacks()
	local held, wrappers = {}, setmetatable({}, { __mode = "k" })
	local is_callback = {}
	local function wrapped(name, f)
		if type(f) ~= "function" then return f end
		if not wrappers[f] then
			local o = "love"
			wrappers[f] = function(...)
				if PHASES[name] then enter_phase(PHASES[name]) end
				local s = current
				current = nil
				if not s then
					local more = PHASES[name] and { via = "tick" } or INPUTS[name] and { via = "input", edge = INPUTS[name], key = tostring((...)) } or { via = "life" }
					s = R.send(name, o, nil, more)
				end
				return (PHASES[name] and run_turn or run_callback)(s, o, "love." .. name, f, ...)
			end
		end
		return wrappers[f]
	end
	for _, name in ipairs(CALLBACKS) do
		is_callback[name] = true
		held[name] = rawget(love, name)
		love[name] = nil
	end
	setmetatable(love, {
		__index = function(_, name) return wrapped(name, held[name]) end,
		__newindex = function(_, name, f) if is_callback[name] then held[name] = f else rawset(love, name, f) end end,
	})
end

local function watch_queue()
	around(love.event, "push", function(name, ...)
		local s = R.send(tostring(name), "", select("#", ...) > 0 and { ... } or nil, { via = "queue", q = QUEUE })
		R.put(QUEUE, s)
		posted[name] = posted[name] or {}
		table.insert(posted[name], s)
	end)
	local engines_own, originals = {}, {}
	local function handler(name, f)
		return function(...)
			local s = posted[name] and table.remove(posted[name], 1)
			if s then R.pull(QUEUE, s) end
			if engines_own[name] then
				current = s -- the callback that the engine's handler calls is the call
				local result = f(...)
				current = nil
				return result
			end
			return run(s or R.send(name, ""), nil, "love", "love.handlers." .. name, f, ...)
		end
	end
	for name, f in pairs(love.handlers) do
		engines_own[name] = true
		originals[name] = f
		love.handlers[name] = handler(name, f)
	end
	setmetatable(love.handlers, { __newindex = function(t, name, f) rawset(t, name, type(f) == "function" and handler(name, f) or f) end })
end

local playing = {} -- sources that play: source -> { y, name }
local function watch_sounds()
	if not love.audio then return end
	local new_source, names, patched = love.audio.newSource, setmetatable({}, { __mode = "k" }), false
	love.audio.newSource = function(what, ...)
		local source = new_source(what, ...)
		names[source] = type(what) == "string" and what or "sound"
		if not patched then
			patched = true
			local methods = getmetatable(source).__index
			around(methods, "play", function(s)
				local y = new("y")
				playing[s] = y
				local ok, len = pcall(s.getDuration, s)
				record("play", ',"y":' .. y .. field("o", "love") .. field("clip", names[s] or "sound") .. string.format(',"len":%.6g,"marks":[],"what":"track"', ok and len > 0 and len or 0) .. within())
			end)
			around(methods, "stop", function(s)
				if playing[s] then record("stop", ',"y":' .. playing[s] .. ',"how":"cut"' .. within()) end
				playing[s] = nil
			end)
		end
		return source
	end
end

local function poll_sounds()
	for source, y in pairs(playing) do
		if not source:isPlaying() then
			record("stop", ',"y":' .. y .. ',"how":"end"')
			playing[source] = nil
		end
	end
end

-- Where a host takes the processor away while a thread runs, some kernels count that as the thread's own time. The machine tells
-- how much was taken of each processor (`steal`, proc_stat(5), in hundredths of a second): of a long frame the thread's part of
-- it, by its share of all that ran there, is the machine's doing; so is what the thread neither ran nor waited for a processor,
-- as far as the one it is on was taken away meanwhile. Shorter frames are not asked: hundredths of a second tell too little.
local LOOKED_INTO, LOOK_EVERY, TICK_NS, STAT_BYTES = 0.05, 0.25, 1e7, 16384
local stat, stat_told, look_at = nil, {}, 0
local function open_machine() -- tests name a file of their own
	stat = io.open(os.getenv("OPOSSUM_STAT") or "/proc/stat")
	if stat then stat:setvbuf("no") end
end

-- What the processor did for this thread, where Linux tells it: how long it could have run and was not run, as others had the
-- processor, and (by LuaJIT's own way to C) how long it ran. In ns; nil where it is not known.
local schedstat, clocks = nil, nil
local function open_processor()
	schedstat = io.open("/proc/thread-self/schedstat")
	if schedstat then schedstat:setvbuf("no") end -- else it would be read once only
	open_machine()
	local loaded, ffi = pcall(require, "ffi")
	if not loaded or ffi.os ~= "Linux" then return end
	local declared = pcall(ffi.cdef, "struct opossum_time { long s; long ns; }; int clock_gettime(int clock, struct opossum_time *time);")
	if declared then clocks = { ffi = ffi, time = ffi.new("struct opossum_time[1]") } end
end

local function waited_ns()
	if not schedstat then return nil end
	schedstat:seek("set", 0)
	local text = schedstat:read(80)
	return text and tonumber(text:match("^%d+ (%d+)"))
end

local CLOCK_THREAD_CPUTIME = 3
local function ran_ns()
	if not clocks or clocks.ffi.C.clock_gettime(CLOCK_THREAD_CPUTIME, clocks.time) ~= 0 then return nil end
	return tonumber(clocks.time[0].s) * 1e9 + tonumber(clocks.time[0].ns)
end

-- {busy, taken} in ns so far, of each processor by its name, and of all of them as "cpu".
local function machine_ns()
	local found = {}
	if not stat then return found end
	stat:seek("set", 0)
	for name, numbers in (stat:read(STAT_BYTES) or ""):gmatch("(cpu%d*) +([%d ]+)\n") do
		local n = {}
		for number in numbers:gmatch("%d+") do n[#n + 1] = tonumber(number) end
		if #n >= 8 then found[name] = { (n[1] + n[2] + n[3] + n[6] + n[7] + n[8]) * TICK_NS, n[8] * TICK_NS } end
	end
	return found
end

local function own_processor()
	local file = io.open("/proc/thread-self/stat")
	local text = file and file:read("*a") or ""
	if file then file:close() end
	local fields = {}
	for field in (text:match(".*%)(.*)") or ""):gmatch("%S+") do fields[#fields + 1] = field end
	return "cpu" .. (fields[37] or "")
end

-- How much a host took of a frame, in ns: of what the thread is told to have run, and of what it neither ran nor waited.
local function taken_ns(ran, passed, waited)
	local now_told, part, steal, of_all, own_busy = machine_ns(), 0, 0, 0, -1
	for _, name in ipairs({ "cpu", own_processor() }) do
		local after, before = now_told[name], stat_told[name]
		if after and before then
			local busy = after[1] - before[1]
			steal = after[2] - before[2]
			if steal > 0 and busy > 0 then part = math.max(part, steal * math.min(1, ran / busy)) end
			if name == "cpu" then of_all = steal else own_busy = busy end
		end
	end
	-- what the thread did that its processor had no time for, it did on another
	if own_busy < 0 or passed - waited > own_busy + 2 * TICK_NS then steal = of_all end
	-- what was taken is beside the thread's own time as far as there is room, the rest was counted into it
	local counted = math.max(steal, of_all) - (passed - ran)
	return math.max(0, math.min(part, counted, ran)), math.max(0, math.min(steal, passed - ran - waited))
end

local waited_at, ran_at, begun_at
local function begin_processor()
	waited_at, ran_at, begun_at = waited_ns(), ran_ns(), now()
	if stat and begun_at >= look_at then look_at, stat_told = begun_at + LOOK_EVERY, machine_ns() end
end

local function told_of_processor()
	local waited, ran, text = waited_ns(), ran_ns(), ""
	waited = waited and waited_at and math.max(0, waited - waited_at)
	ran = ran and ran_at and ran - ran_at
	if ran and stat and begun_at and now() - begun_at >= LOOKED_INTO then
		local within, beside = taken_ns(ran, (now() - begun_at) * 1e9, waited or 0)
		if within > 0 or beside > 0 then ran, waited = ran - within, (waited or 0) + within + beside end
	end
	if ran then text = string.format(',"cpu":%.0f', ran) end
	if waited then text = text .. string.format(',"ready":%.0f', waited) end
	return text
end

local function go_idle()
	if not is_idle and #calls == 0 then
		is_idle = true
		if next(watched) then read_watched() end
		record("idle", told_of_processor())
		tell_beat()
		flush()
	end
end

-- What the game says of itself must not end it: what cannot be recorded is counted.
for name, instead in pairs({ send = 0, spawn = false, gone = false, bind = {}, unbind = false, changed = false, seemed = false,
	put = false, pull = false, arm = 0, disarm = false, watch = false, say = false }) do
	local plain = R[name]
	R[name] = function(...)
		local done, result = pcall(plain, ...)
		if done then return result end
		R.lost, untold = R.lost + 1, untold + 1
		return instead
	end
end

function R.close()
	if not file then return end
	record("bye")
	flush()
	love.thread.getChannel("opossum_stop"):push(true)
	file:close() -- over the link: when the last lines are sent
	if sender and not link then sender:wait() end -- one that still ran while LÖVE ends could bring it down
	file = nil
end

local function begin_frame()
	frame, phase, is_idle = frame + 1, nil, false
	begin_processor()
	record("frame", ',"n":' .. frame)
	tell_beat()
	plan_look()
	if not link then return end
	local line = asked:pop()
	while line do
		hear(line)
		line = asked:pop()
	end
	if watching then
		sent, ran = {}, {}
		if stop_at == "frame" or stop_at == "any" then hold() end
	end
end

local function end_frame()
	if next(playing) then poll_sounds() end
	go_idle()
	flush()
end

-- A love.run that turns by itself, as games wrote it before LÖVE 11, has a frame from one taking of events to the next.
local turns_itself = false
local function watch_run()
	local original = love.run
	around(love.event, "pump", function()
		if turns_itself and #calls == 0 then
			if frame >= 0 then end_frame() end
			begin_frame()
		end
		enter_phase("events")
	end)
	love.run = function(...)
		turns_itself = true
		local turn = original(...)
		turns_itself = false
		if type(turn) ~= "function" then
			end_frame()
			R.close()
			return turn
		end
		return function(...)
			begin_frame()
			local result, more = turn(...)
			end_frame()
			if result ~= nil then R.close() end
			return result, more
		end
	end
end

-- Called by the overlay before the game's main.lua, which is then run by `R.play`.
function R.play(main, ...)
	require "love.timer"
	now = love.timer.getTime
	begin = now()
	local token, major, minor = os.getenv("OPOSSUM_TOKEN"), love.getVersion()
	local head = string.format('{"k":"head","t":0,"opossum":1,"game":%s,"peer":"main","engine":"LÖVE %d.%d","lang":"lua","phases":["events","update","draw","present"],"waits":["present"]%s%s%s}\n',
		quote(love.filesystem.getIdentity() or "game"), major, minor, link and ',"holds":true' or "", field("build", os.getenv("OPOSSUM_BUILD")),
		link and token and ',"token":' .. quote(token) or "")
	if link then
		outbox, asked = love.thread.getChannel("opossum_outbox"), love.thread.getChannel("opossum_asked")
		file = setmetatable({ last = 0 }, Linked)
	else
		file = io.open(path, "a")
		if not file then error("Opossum: " .. path .. " cannot be written") end
		file:setvbuf("no") -- every flush of ours is one write, and says whether it was done
		file:write(head)
	end
	if love.graphics then around(love.graphics, "present", function() enter_phase("present") end) end
	around(love.timer, "sleep", go_idle)
	watch_queue()
	watch_sounds()
	local said = print
	print = function(...)
		local parts = {}
		for i = 1, select("#", ...) do parts[i] = tostring((select(i, ...))) end
		R.say(table.concat(parts, "\t"))
		return said(...)
	end
	beat = love.thread.getChannel("opossum_beat")
	sender = love.thread.newThread(WATCHER)
	sender:start(path, begin, STUCK_AFTER, link, head, CALLING_S)
	main(...)
	local failed = love.errorhandler or love.errhand
	love.errorhandler = function(message)
		R.say(tostring(message), "error")
		flush()
		is_idle = true
		tell_beat()
		return failed(message)
	end
	open_processor()
	watch_callbacks()
	watch_run()
end

return R
