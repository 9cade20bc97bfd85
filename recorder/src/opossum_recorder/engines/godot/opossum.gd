extends Node
# Records a Godot 3 game: an autoload that lies outside the project.  Signals are heard by connections of our own
# (this node is older than the game's, so it hears first); listeners' runs are seen by rewriting the scripts in memory
# at start, each function into one that says when it begins and ends.  Lines go by TCP to the Opossum that started the
# game, so what was sent before a crash is kept; a thread says where the game stands while a frame does not end.
# Opossum may ask the game to be held at a call, a send or a frame; if it goes away, the game goes on.
# One file, long as it is: an autoload from outside the project is one script.

const QUIET = ["ready", "renamed", "tree_entered", "tree_exiting", "tree_exited", "script_changed", "draw", "hide",
	"item_rect_changed", "visibility_changed", "resized", "minimum_size_changed", "size_flags_changed", "sort_children",
	"theme_changed", "child_entered_tree", "child_exiting_tree", "modal_closed", "gui_input", "focus_entered",
	"focus_exited", "mouse_entered", "mouse_exited", "animation_started", "animation_changed", "caches_cleared"]
const VIRTUALS = {"_process": "tick", "_physics_process": "tick", "_input": "input", "_unhandled_input": "input",
	"_unhandled_key_input": "input", "_ready": "life", "_enter_tree": "life", "_exit_tree": "life"}
const NEVER = ["_init", "_get", "_set", "_get_property_list", "_notification", "_draw", "_to_string"]
const MOST_ASKED = 64  # attributes that Opossum may ask for at once
const LOOKED_AT_FIRST = 64  # calls of each function whose owner's own state is compared before and after …
const LOOKED_AT = 16        # … then one in so many
const MOST_ITEMS = 32       # of a list or dictionary that are looked at
const SCRIPT_VARIABLE = 8192
const ALLOWED_USEC = 250000
const SILENT_MSEC = 10000  # an Opossum that has said nothing for so long, not even a ping, has gone away
const TICK_NS = 10000000
const LOOKED_INTO_USEC = 50000   # of shorter frames nobody asks how much of them was taken: hundredths of a second tell too little
const LOOK_EVERY_USEC = 250000
const MOST_WAITING = 4194304  # bytes; what comes while the link is that far behind is dropped and counted

var _link = StreamPeerTCP.new()
var _recording = false
var _linked = false  # somebody listens; until then lines wait, and it is tried again
var _port = 0
var _tried = 0       # when it was tried to link last, in milliseconds
var _begin = 0
var _lines = PoolStringArray()
var _waiting = PoolByteArray()  # handed over, not yet taken by the link; under the lock
var _lost = 0
var _control = _compiled("[\\x01-\\x1f]")
var _writing = Mutex.new()
var _thread = Thread.new()
var _ending = false
var _frame = -1
var _idle = true
var _phase = ""
var _frame_usec = 0
var _times_begun = []  # [ran, waited] of this thread up to the frame's begin, in ns; empty where that is not told
var _machine_told = {} # what the machine told of its processors lately
var _look_usec = 0     # when to ask it again
var _last_time = 0  # of the last line handed over: a line in between keeps time's order
var _ids = {"s": 0, "c": 0, "b": 0, "a": 0, "y": 0, "w": 0}
var _calls = []      # open calls: [id, what is shown of it]
var _names = {}      # instance id -> name
var _binds = {}      # "id:signal" -> {"target id:method": number of the bind}
var _heard_by = {}   # instance id of a target -> {"source id:signal": true}
var _expected = {}   # "id:method" -> [[send, bind, deferred], …] calls that a send will make
var _arms = {}       # instance id of a Timer -> number
var _timers = []
var _tree_timers = {}  # instance id of a SceneTreeTimer -> [number of its arm, the timer]
var _waits = {}      # number of a wait -> [weak reference to who waits, what is waited for]
var _last_sends = {} # "id:signal" -> send, in this frame
var _players = {}    # instance id of an AnimationPlayer -> [y, animation, length, position at the last look]
var _mark_methods = {}  # "target id:method" -> instance id of the player whose clip calls it
var _removed = []    # [weak reference, name, instance id] of nodes that left the tree in this frame
var _scripts = []
var _numbered = 0
var _heard = PoolByteArray()  # of a line of Opossum's that has not come whole yet
var _wires = {}      # number of a tripwire -> [what it waits for, how often that came]
var _asked = {}      # number -> [object's name, variable, what was told of it last]
var _stop = ""       # hold at the next "call", "frame" or "any" of them
var _watching = false  # whether there is a tripwire, or a stop
var _is_held = false
var _sends = {}      # send -> [event, via, arguments], of this frame, while somebody watches
var _times = {}      # "script:method" -> how often it was called
var _states = {}     # path of a script -> names of its variables that are read without running any of its code
var _run = {}        # listeners that ran in this frame, while somebody watches


class Edge extends Node:
	# Stands before or after all other nodes in `_process`.
	var owner_recorder
	var is_first = false
	func _process(_delta):
		if is_first:
			owner_recorder._first()
		else:
			owner_recorder._last()


func _enter_tree():
	var port = OS.get_environment("OPOSSUM_PORT")
	if not port.is_valid_integer():
		return
	pause_mode = Node.PAUSE_MODE_PROCESS
	_begin = OS.get_ticks_usec()
	_recording = true
	_port = int(port)
	_link.connect_to_host("127.0.0.1", _port)
	var wait = 0
	while _link.get_status() == StreamPeerTCP.STATUS_CONNECTING and wait < 100:
		OS.delay_msec(10)
		wait += 1
	_reach()
	var version = Engine.get_version_info()
	_record("head", ',"opossum":1,"game":%s,"peer":"main","engine":"Godot %d.%d.%d","lang":"gdscript","holds":true,"phases":["physics","process","deferred"],"pid":%d%s' % [
		_quote(ProjectSettings.get_setting("application/config/name")), version.major, version.minor, version.patch, OS.get_process_id(), _text("build", OS.get_environment("OPOSSUM_BUILD"))])
	if OS.get_environment("OPOSSUM_REWRITE") != "0":
		_rewrite("res://")
	var _tree = get_tree()
	_tree.connect("node_added", self, "_added")
	_tree.connect("node_removed", self, "_left")
	_tree.connect("physics_frame", self, "_on_physics")
	_tree.connect("idle_frame", self, "_on_idle_frame")
	for first in [true, false]:
		var edge = Edge.new()
		edge.owner_recorder = self
		edge.is_first = first
		edge.name = "First" if first else "Last"
		edge.process_priority = -1000000 if first else 1000000
		edge.pause_mode = Node.PAUSE_MODE_PROCESS
		add_child(edge)
	_thread.start(self, "_watch_over", null)


func _exit_tree():
	if _recording:
		_end_frame()
		_record("bye", "")
		_flush()
		_writing.lock()
		if _waiting.size() > 0 and _linked:
			_link.put_data(_waiting)  # the game has ended: now there is time
		_waiting = PoolByteArray()
		_writing.unlock()
	_ending = true
	if _thread.is_active():
		_thread.wait_to_finish()
	# closing over unread answers would cut the last lines off
	if _link.get_status() == StreamPeerTCP.STATUS_CONNECTED and _link.get_available_bytes() > 0:
		_link.get_data(_link.get_available_bytes())
	_link.disconnect_from_host()


# --- writing ---------------------------------------------------------------------------------------

static func _compiled(pattern):
	var expression = RegEx.new()
	expression.compile(pattern)
	return expression


func _quote(text):
	var start = str(text).substr(0, 500)
	var escaped = start.json_escape()
	if escaped.find("\\v") >= 0 or _control.search(escaped) != null:
		escaped = ""  # what the engine leaves as it is, or escapes as no JSON is
		for place in start.length():
			var letter = start.ord_at(place)
			if letter < 32:
				escaped += "\\u%04x" % letter
			else:
				escaped += "\\" + start[place] if letter == 34 or letter == 92 else start[place]
	return '"' + escaped + '"'


func _text(name, text):
	return ',"%s":%s' % [name, _quote(text)] if text != "" else ""


# A number as JSON holds it: what is none, or none that a game means, is "null".
func _number(v):
	return "null" if is_nan(v) or is_inf(v) or abs(v) > 1e12 else "%.6f" % v


# Any value as JSON of bounded length.
func _json(v, depth):
	match typeof(v):
		TYPE_NIL:
			return "null"
		TYPE_BOOL:
			return "true" if v else "false"
		TYPE_INT:
			return str(v)
		TYPE_REAL:
			return _number(v)
		TYPE_ARRAY, TYPE_DICTIONARY:
			if depth < 4:
				var parts = PoolStringArray()
				for item in v:
					if parts.size() >= 50:
						break
					var part = _json(v[item] if v is Dictionary else item, depth + 1)
					parts.append(_quote(item) + ":" + part if v is Dictionary else part)
				var text = parts.join(",")
				if text.length() < 4000:
					return ("{%s}" if v is Dictionary else "[%s]") % text
			return _quote("%d in all" % v.size())
	return _quote(v)


func _record(kind, fields):
	_lines.append('{"k":"%s","t":%d%s}\n' % [kind, (OS.get_ticks_usec() - _begin) * 1000, fields])
	if _lines.size() > 400:
		_flush()


func _flush():
	if _lines.size() == 0 or not _recording:
		return
	var data = _lines.join("").to_utf8()
	_writing.lock()
	if _waiting.size() + data.size() > MOST_WAITING:
		_lost += _lines.size()
	else:
		if _lost > 0:
			_waiting.append_array(('{"k":"lost","t":%d,"n":%d}\n' % [_last_time, _lost]).to_utf8())
			_lost = 0
		_waiting.append_array(data)
	_hand_over()
	_writing.unlock()
	_last_time = (OS.get_ticks_usec() - _begin) * 1000
	_lines = PoolStringArray()


# Say whether somebody listens by now; ask again if nobody did half a second ago. Waits for nothing.
func _reach():
	if _linked or not _recording:
		return
	_linked = _link.get_status() == StreamPeerTCP.STATUS_CONNECTED
	if _linked:
		_link.set_no_delay(true)
	elif OS.get_ticks_msec() - _tried > 500 and _link.get_status() != StreamPeerTCP.STATUS_CONNECTING:
		_tried = OS.get_ticks_msec()
		_link.disconnect_from_host()
		_link.connect_to_host("127.0.0.1", _port)


# Give the link what it takes without waiting. Called with the lock.
func _hand_over():
	if _waiting.size() == 0 or not _linked:
		return
	var result = _link.put_partial_data(_waiting)
	if result[0] != OK:
		_linked = false  # whoever listened is gone: the game goes on, unrecorded
		_recording = false
	elif result[1] >= _waiting.size():
		_waiting = PoolByteArray()
	elif result[1] > 0:
		_waiting = _waiting.subarray(result[1], -1)


func _new(kind):
	_ids[kind] += 1
	return _ids[kind]


func _cause():
	return ',"c":%d' % _calls[-1][0] if _calls.size() > 0 else ""


# --- what a game may say itself: what the engine has no notion of ------------------------------------------

func spawn(o, cls):
	_record("spawn", _text("o", o) + _text("cls", cls) + _cause())


func gone(o):
	_record("gone", _text("o", o) + _cause())


func bind(ev, o, fn):
	var b = _new("b")
	_record("bind", ',"b":%d' % b + _text("ev", ev) + _text("o", o) + _text("fn", fn) + _cause())
	return b


func unbind(b):
	_record("unbind", ',"b":%d' % b + _cause())


# Say that an event occurred; `more`: further fields by name, such as "via" and "a"; `d`: any value.
func send(ev, o = "", d = null, more = {}):
	var s = _new("s")
	var told = ""
	for name in more:
		told += ',"%s":%s' % [name, _value(more[name])]
	_record("send", ',"s":%d' % s + _text("ev", ev) + _text("o", o) + _cause() + told + (',"d":' + _json(d, 0) if d != null else ""))
	if _calls.size() > 0:
		_calls[-1][3] += 1
	return s


# Say that a listener begins to run for a send (b: its bind, or 0), and that the one that runs has returned.
func call_begins(s, b, o, fn):
	var c = _new("c")
	_record("call", ',"c":%d,"s":%d%s' % [c, s, ',"b":%d' % b if b > 0 else ""] + _text("o", o) + _text("fn", fn))
	_writing.lock()
	_calls.append([c, fn, OS.get_ticks_usec(), 0, -1, -1])
	_writing.unlock()
	_flush()


func call_ends():
	_writing.lock()
	var call = _calls.pop_back()
	_writing.unlock()
	var told = ',"eff":%d' % (call[4] + call[3]) if call[4] >= 0 else ""
	_record("ret", ',"c":%d' % call[0] + told + (',"own":%d' % (call[5] + call[3]) if call[5] >= 0 else ""))


# Say how many things the running listener changed, or (`seemed`) how many of its owner's own as far as can be seen.
func changed(count = 1):
	if _calls.size() > 0:
		_calls[-1][4] = max(_calls[-1][4], 0) + count


func seemed(count):
	if _calls.size() > 0:
		_calls[-1][5] = max(_calls[-1][5], 0) + count


func put(q, s):
	_record("put", _text("q", q) + ',"s":%d' % s + _cause())


func pull(q, s):
	_record("pull", _text("q", q) + ',"s":%d' % s)


func arm(what, o, ev, sec):
	var a = _new("a")
	_record("arm", ',"a":%d' % a + _text("what", what) + _text("o", o) + _text("ev", ev) + ',"sec":%s,"loop":%s' % [str(sec), "true" if what == "timer" else "false"] + _cause())
	return a


func disarm(a, how):
	_record("disarm", ',"a":%d' % a + _text("how", how) + _cause())


func watch(o, name, v):
	_record("watch", _text("o", o) + _text("name", name) + ',"v":' + _value(v))


func say(text):
	_record("say", _text("text", text))


# --- frames ------------------------------------------------------------------------------------------

func _begin_frame():
	if _idle:
		_frame += 1
		_idle = false
		_phase = ""
		_frame_usec = OS.get_ticks_usec()
		_begin_processor()
		_record("frame", ',"n":%d' % _frame)
		if _watching:
			_run.clear()
			_sends.clear()
			if _stop == "frame" or _stop == "any":
				_hold(0, 0)


# What Linux tells of this thread: ns that it ran (behind by some milliseconds) and that it waited while others had the processor,
# which is the machine's doing; read anew, or it would be old. Empty where it is not told.
func _thread_times():
	var told = File.new()
	if told.open("/proc/thread-self/schedstat", File.READ) != OK:
		return []
	var numbers = told.get_line().split(" ")
	told.close()
	return [int(numbers[0]), int(numbers[1])] if numbers.size() > 2 else []


# What the machine tells of its processors: name -> [ns that it ran or was taken away, ns that a host took of it (`steal`)].
# Tests name a file of their own.
func _machine_times():
	var found = {}
	var told = File.new()
	var path = OS.get_environment("OPOSSUM_STAT")
	if told.open(path if path != "" else "/proc/stat", File.READ) != OK:
		return found
	while true:
		var words = told.get_line().split(" ", false)
		if words.size() == 0 or not words[0].begins_with("cpu"):
			break
		if words.size() > 8:
			var busy = int(words[1]) + int(words[2]) + int(words[3]) + int(words[6]) + int(words[7]) + int(words[8])
			found[words[0]] = [busy * TICK_NS, int(words[8]) * TICK_NS]
	told.close()
	return found


func _own_processor():
	var told = File.new()
	if told.open("/proc/thread-self/stat", File.READ) != OK:
		return "cpu"
	var text = told.get_line()
	told.close()
	var words = text.substr(text.find_last(")") + 1).split(" ", false)
	return "cpu" + (words[36] if words.size() > 36 else "")


func _begin_processor():
	_times_begun = _thread_times()
	if _frame_usec >= _look_usec:
		_look_usec = _frame_usec + LOOK_EVERY_USEC
		_machine_told = _machine_times()


# Fields of `idle`. Where a host takes the processor away while a thread runs, some kernels count that as the thread's own time: of
# a long frame the thread's part of what was taken is the machine's doing, and so is what it neither ran nor waited meanwhile.
func _told_of_processor():
	var times = _thread_times() if _times_begun.size() > 0 else []
	if times.size() == 0:
		return ""
	var waited = max(0, times[1] - _times_begun[1])
	var passed = (OS.get_ticks_usec() - _frame_usec) * 1000
	if passed < LOOKED_INTO_USEC * 1000:
		return ',"ready":%d' % waited
	var ran = min(max(0, times[0] - _times_begun[0]), passed)
	var now = _machine_times()
	var part = 0.0
	var steal = 0
	var of_all = 0
	var own_busy = -1
	for name in ["cpu", _own_processor()]:
		if now.has(name) and _machine_told.has(name):
			var busy = now[name][0] - _machine_told[name][0]
			steal = now[name][1] - _machine_told[name][1]
			if steal > 0 and busy > 0:
				part = max(part, steal * min(1.0, ran / float(busy)))
			if name == "cpu":
				of_all = steal
			else:
				own_busy = busy
	# what the thread did that its processor had no time for, it did on another
	if own_busy < 0 or passed - waited > own_busy + 2 * TICK_NS:
		steal = of_all
	# what was taken is beside the thread's own time as far as there is room, the rest was counted into it
	var within = max(0, min(part, min(max(steal, of_all) - (passed - ran), ran)))
	var beside = max(0, min(steal, passed - ran - waited))
	return ',"cpu":%d,"ready":%d' % [ran - within, waited + within + beside]


func _enter_phase(name):
	_begin_frame()
	if name != _phase:
		_phase = name
		_record("phase", ',"name":"%s"' % name)


func _on_physics():
	_enter_phase("physics")


func _on_idle_frame():
	_begin_frame()


func _first():
	_enter_phase("process")
	_poll()


func _last():
	_enter_phase("deferred")
	call_deferred("_end_frame")


func _end_frame():
	if _idle:
		return
	for entry in _removed:
		# out of the tree and not put back within the frame: for the game it is gone
		var node = entry[0].get_ref()
		if node == null or not node.is_inside_tree():
			_forget_binds(entry[2])
			_record("gone", ',"o":%s' % _quote(entry[1]))
			if node == null:
				_names.erase(entry[2])
	_removed = []
	for w in _waits.keys():
		if _waits[w][0].get_ref() == null or not is_instance_valid(_waits[w][1]):
			_record("quit", ',"w":%d' % w)
			_waits.erase(w)
	_expected.clear()
	_last_sends.clear()
	_idle = true
	var told_of_processor = _told_of_processor()
	_frame_usec = 0
	if _asked.size() > 0:
		_read_asked()
	_record("idle", told_of_processor)
	_reach()
	_flush()
	_hear()


# --- lives -------------------------------------------------------------------------------------------

func _class_of(node):
	var script = node.get_script()
	if script != null and script.resource_path != "":
		return script.resource_path.get_file().get_basename().capitalize().replace(" ", "")
	return node.get_class()


func _name_of(object):
	var id = object.get_instance_id()
	if not _names.has(id):
		if object is Node and object.is_inside_tree():
			_names[id] = str(object.get_path()).trim_prefix("/root/")
		else:
			_names[id] = "%s#%d" % [object.get_class(), id]
	return _names[id]


func _added(node):
	if node == self or node.get_parent() == self:
		return
	_names.erase(node.get_instance_id())
	_record("spawn", ',"o":%s,"cls":%s%s' % [_quote(_name_of(node)), _quote(_class_of(node)), _cause()])
	for found in node.get_signal_list():
		if not found.name in QUIET and found.args.size() <= 5:
			var method = "_s%d" % found.args.size()
			if not node.is_connected(found.name, self, method):
				node.connect(found.name, self, method, [node, found.name])
	if node is Timer:
		_timers.append(node)
	if node is AnimationPlayer and not node.is_connected("animation_started", self, "_started"):
		node.connect("animation_started", self, "_started", [node])


func _left(node):
	if _names.has(node.get_instance_id()):
		_removed.append([weakref(node), _names[node.get_instance_id()], node.get_instance_id()])


# --- signals -----------------------------------------------------------------------------------------

func _s0(node, ev): _sent(node, ev, [])
func _s1(a, node, ev): _sent(node, ev, [a])
func _s2(a, b, node, ev): _sent(node, ev, [a, b])
func _s3(a, b, c, node, ev): _sent(node, ev, [a, b, c])
func _s4(a, b, c, d, node, ev): _sent(node, ev, [a, b, c, d])
func _s5(a, b, c, d, e, node, ev): _sent(node, ev, [a, b, c, d, e])


func _sent(node, ev, args):
	var id = node.get_instance_id()
	var key = "%d:%s" % [id, ev]
	var known = _binds.get(key, {})
	var heard = []
	var still = {}
	var shown = _tree_timers[id][2] if _tree_timers.has(id) else ev
	for connection in node.get_signal_connection_list(ev):
		if connection.target == self or connection.target.get_class() == "GDScriptFunctionState":
			continue  # who waits is told of by `awaited`
		var listener = "%d:%s" % [connection.target.get_instance_id(), connection.method]
		if not known.has(listener):
			known[listener] = _new("b")
			_record("bind", ',"b":%d,"ev":%s,"o":%s,"fn":%s,"src":%s' % [known[listener], _quote(shown),
				_quote(_name_of(connection.target)), _quote(_class_of(connection.target) + "." + connection.method), _quote(_name_of(node))])
			var target = connection.target.get_instance_id()
			if not _heard_by.has(target):
				_heard_by[target] = {}
			_heard_by[target][key] = node
		still[listener] = true
		heard.append([listener, known[listener], connection.flags & CONNECT_DEFERRED != 0])
	for listener in known.keys():
		if not still.has(listener):
			_record("unbind", ',"b":%d' % known[listener])
			known.erase(listener)
	_binds[key] = known
	var more = ""
	if node is Timer and ev == "timeout":
		more = ',"via":"timer","a":%d' % _armed(node)
	elif _tree_timers.has(id):
		more = ',"via":"delay","a":%d' % _tree_timers[id][0]
	elif node is Area or node is Area2D:
		more = ',"via":"zone","edge":"%s"' % ("enter" if ev.ends_with("entered") else "leave")
	var s = _send(shown, _name_of(node), more, args)
	_last_sends[key] = s
	for entry in heard:
		if not _expected.has(entry[0]):
			_expected[entry[0]] = []
		_expected[entry[0]].append([s, entry[1]])


# --- delays of the tree, and code that waits (`yield`): rewritten scripts hand them over -----------------

# A SceneTreeTimer that the game has just made: a delay of whoever made it, named after its place.
func timed(owner, timer, at):
	if _recording and timer != null:
		var a = _new("a")
		_tree_timers[timer.get_instance_id()] = [a, timer, "timeout of " + at]
		_record("arm", ',"a":%d,"what":"delay","o":%s,"ev":%s,"sec":%s,"loop":false%s,"at":%s' % [a, _quote(_name_of(owner)), _quote("timeout of " + at), _number(timer.time_left), _cause(), _quote(at)])
		timer.connect("timeout", self, "_landed", [timer])
	return timer


func _landed(timer):
	var id = timer.get_instance_id()
	_sent(timer, "timeout", [])
	var key = "%d:timeout" % id
	for b in _binds.get(key, {}).values():
		_record("unbind", ',"b":%d' % b)
	_record("disarm", ',"a":%d,"how":"done"' % _tree_timers[id][0])
	_binds.erase(key)
	_tree_timers.erase(id)
	_names.erase(id)


# What a script is about to wait for; handed back, so that it can.
func awaited(owner, object, ev):
	if not _recording or not is_instance_valid(object) or not object.has_signal(ev):
		return object
	var count = 0
	for found in object.get_signal_list():
		if found.name == ev:
			count = found.args.size()
	if object.get_class() == "GDScriptFunctionState":
		count = 1
	if count <= 5:
		var w = _new("w")
		var shown = _tree_timers[object.get_instance_id()][2] if _tree_timers.has(object.get_instance_id()) else ev
		_record("wait", ',"w":%d,"o":%s,"ev":%s%s' % [w, _quote(_name_of(owner)), _quote(shown), _cause()])
		_waits[w] = [weakref(owner), object]
		object.connect(ev, self, "_m%d" % count, [w, object, ev], CONNECT_ONESHOT)
	return object


func _m0(w, object, ev): _met(w, object, ev)
func _m1(_a, w, object, ev): _met(w, object, ev)
func _m2(_a, _b, w, object, ev): _met(w, object, ev)
func _m3(_a, _b, _c, w, object, ev): _met(w, object, ev)
func _m4(_a, _b, _c, _d, w, object, ev): _met(w, object, ev)
func _m5(_a, _b, _c, _d, _e, w, object, ev): _met(w, object, ev)


func _met(w, object, ev):
	if not _waits.erase(w):
		return
	var key = "%d:%s" % [object.get_instance_id(), ev]
	var s = _last_sends[key] if _last_sends.has(key) else _send(ev, _name_of(object), "", [])
	_record("met", ',"w":%d,"s":%d' % [w, s])


# Say which of a target's listeners have been unbound since they were last looked at.
func _forget_binds(target):
	for key in _heard_by.get(target, {}).keys():
		var source = _heard_by[target][key]
		var ev = key.substr(key.find(":") + 1)
		for listener in _binds.get(key, {}).keys():
			if not listener.begins_with("%d:" % target):
				continue
			var object = instance_from_id(target)
			if object == null or not is_instance_valid(source) or not source.is_connected(ev, object, listener.substr(listener.find(":") + 1)):
				_record("unbind", ',"b":%d' % _binds[key][listener])
				_binds[key].erase(listener)


func _send(ev, o, more, args):
	var s = _new("s")
	var d = ""
	if args.size() > 0:
		var shown = PoolStringArray()
		for arg in args:
			shown.append(_value(arg))
		d = ',"d":[%s]' % shown.join(",")
	_record("send", ',"s":%d,"ev":%s,"o":%s%s%s%s' % [s, _quote(ev), _quote(o), _cause(), more, d])
	if _watching:
		var via = "direct" if more.find('"via":"') < 0 else more.split('"via":"')[1].split('"')[0]
		_sends[s] = [ev, via, args]
		_look({"ev": ev, "o": o, "cls": o.split("/")[-1], "via": via, "fn": ""}, args, "send", 0, false, false)
	return s


func _value(v):
	match typeof(v):
		TYPE_BOOL:
			return "true" if v else "false"
		TYPE_INT:
			return str(v)
		TYPE_REAL:
			return "null" if is_nan(v) or is_inf(v) else "%.6f" % v
		TYPE_OBJECT:
			return _quote(_name_of(v)) if v != null and is_instance_valid(v) else "null"
	return _quote(v)


# --- calls: the rewritten functions say when they begin and end ------------------------------------------

func enter(object, method, at, inner = ""):
	if not _recording:
		return false
	var key = "%d:%s" % [object.get_instance_id(), method]
	var s = 0
	var b = ""
	var waiting = _expected.get(key)
	if waiting != null and waiting.size() > 0:
		var entry = waiting.pop_front()
		s = entry[0]
		b = ',"b":%d' % entry[1]
	elif VIRTUALS.has(method):
		s = _send(method, _name_of(object), ',"via":"%s"%s' % [VIRTUALS[method], ',"key":"event","edge":"down"' if VIRTUALS[method] == "input" else ""], [])
	elif _mark_methods.has(key):
		var player = instance_from_id(_mark_methods[key])
		var play = _players.get(_mark_methods[key])
		if player == null or play == null:
			return false
		s = _send(method, _name_of(player), ',"via":"clip","y":%d,"mark":%s,"pos":%s' % [play[0], _quote(method), _number(player.current_animation_position if player.is_playing() else play[2])], [])
	else:
		return false  # a function that another function calls: its caller's business
	var c = _new("c")
	var fn = (inner if inner != "" else _class_of(object)) + "." + method
	_record("call", ',"c":%d,"s":%d%s,"o":%s,"fn":%s,"at":%s' % [c, s, b, _quote(_name_of(object)), _quote(fn), _quote(at)])
	_writing.lock()
	_calls.append([c, "%s %s" % [fn, at], OS.get_ticks_usec(), 0, -1, -1, weakref(object), _seen_before(object, fn)])
	_writing.unlock()
	_flush()
	if _watching:
		var sent = _sends.get(s, ["", "", []])
		var again = _run.has(key)
		_run[key] = true
		if _stop == "call" or _stop == "any":
			_hold(0, c)
		else:
			_look({"ev": sent[0], "o": _name_of(object), "cls": inner if inner != "" else _class_of(object), "fn": fn, "via": sent[1]},
				sent[2], "call", c, object is Node and not object.is_inside_tree(), again)
	return true


# What can be seen of an object's own state, where this call of a function is one that is looked at; else null.
func _seen_before(object, fn):
	var times = _times.get(fn, 0)
	_times[fn] = times + 1
	return _own_state(object) if times < LOOKED_AT_FIRST or times % LOOKED_AT == 0 else null


# One number for what can be seen of an object's own state, shallowly: its script's variables and, for a node that has
# them, where it is, whether it is visible, and its text.
func _own_state(object):
	var values = []
	for name in _variables_of(object):
		values.append(_plain(object.get(name)))
	if object is CanvasItem or object is Spatial:
		values.append(object.visible)
		values.append(object.rect_position if object is Control else object.transform)
		if object is Label or object is Button:
			values.append(object.text)
	return hash(values)


func _plain(value):
	if value is Array:
		var items = [value.size()]
		for item in value.slice(0, MOST_ITEMS) if value.size() > 0 else []:
			items.append(item if not (item is Array or item is Dictionary) else item.size())
		return items
	if value is Dictionary:
		return [value.size(), _plain(value.keys()), _plain(value.values())]
	return value


# The names of an object's script variables, but for those that are read by a function of the game's.
func _variables_of(object):
	var script = object.get_script()
	var path = script.resource_path if script != null else ""
	if not _states.has(path):
		var names = []
		if script != null:
			for property in object.get_property_list():
				if property["usage"] & SCRIPT_VARIABLE and not _has_getter(script, property["name"]):
					names.append(property["name"])
		_states[path] = names
	return _states[path]


func _has_getter(script, name):
	while script != null:
		for line in script.source_code.split("\n"):
			if " setget " in line and ("var %s " % name in line or "var %s:" % name in line or "var %s=" % name in line):
				return true
		script = script.get_base_script()
	return false


func leave(entered, result):
	if entered and _calls.size() > 0:
		_writing.lock()
		var call = _calls.pop_back()
		_writing.unlock()
		var own = ""
		if call[7] != null and not result is GDScriptFunctionState:
			var owner = call[6].get_ref()
			own = ',"own":%d' % (call[3] + (1 if owner == null or _own_state(owner) != call[7] else 0))
		_record("ret", ',"c":%d%s' % [call[0], own])
		if _watching:
			_look_back(call)
		if _calls.size() > 0:
			_flush()  # else a loop in the caller would be taken for one in here
	return result


func _rewrite(folder):
	var directory = Directory.new()
	if directory.open(folder) != OK:
		return
	directory.list_dir_begin(true, true)
	var name = directory.get_next()
	while name != "":
		var path = folder.plus_file(name)
		if directory.current_is_dir():
			_rewrite(path)
		elif name.ends_with(".gd"):
			_rewrite_script(path)
		name = directory.get_next()


func _rewrite_script(path):
	var script = load(path)
	if script == null or not script.has_source_code():
		return
	var text = script.source_code
	_numbered += 1
	var made = PoolStringArray()
	var wrappers = PoolStringArray()
	var lines = text.split("\n")
	var quoted = false  # inside a string of several lines
	var inner = ""      # name of the class within the script
	var has_self = true
	for number in range(lines.size()):
		var line = lines[number]
		var plain = not quoted
		if (line.count('"""') + line.count("'''")) % 2 == 1:
			quoted = not quoted
		var bare = line.strip_edges()
		if not plain or bare == "" or bare.begins_with("#"):
			made.append(line)
			continue
		var at = "%s:%d" % [path.trim_prefix("res://"), number + 1]
		var margin = line.substr(0, line.length() - line.dedent().length())
		if margin == "":
			inner = _word(bare, 6) if bare.begins_with("class ") else ""
		if bare.begins_with("func ") or bare.begins_with("static func "):
			has_self = bare.begins_with("func ")
		var head = _head_of(lines, number) if bare.begins_with("func ") and (margin == "" or inner != "") else {}
		if head.empty() or head.name in NEVER:
			made.append(_with_waits(line, at) if has_self else line)
			continue
		var own = "_rx%d_%s_%s" % [_numbered, inner, head.name.trim_prefix("_")]
		var is_void = head.returns.ends_with("void")
		var wrapper = "%sfunc %s(%s)%s: %sOpossumRecorder.leave(OpossumRecorder.enter(self, %s, %s, %s), %s(%s))" % [
			margin, head.name, head.parameters, head.returns, "" if is_void else "return ",
			_quote(head.name), _quote(at), _quote(inner), own, head.arguments]
		if margin == "":
			wrappers.append(wrapper)
		elif made.size() > 0 and made[-1].strip_edges() == "":
			made.set(made.size() - 1, wrapper)  # lines keep their numbers
		else:
			made.append(wrapper)
		line = line.replace("func " + head.name, "func " + own)
		if is_void:  # so that what it returns, which is nothing, may be handed on
			for more in range(number, number + head.lines):
				var arrow = (line if more == number else lines[more]).find("->")
				if arrow >= 0:
					var ended = line if more == number else lines[more]
					ended = ended.substr(0, arrow) + ended.substr(ended.find(":", arrow))
					if more == number:
						line = ended
					else:
						lines.set(more, ended)
		made.append(_with_waits(line, at))
	if wrappers.size() == 0 and made.join("\n") == text:
		return
	script.source_code = made.join("\n") + "\n\n" + wrappers.join("\n") + "\n"
	if script.reload(true) != OK:
		script.source_code = text  # what we do not understand stays as it is
		script.reload(true)
		_record("say", ',"text":%s,"level":"warning"' % _quote("Opossum: the calls of %s are not seen" % path))
	_scripts.append(script)


func _word(text, start):
	var end = start
	while end < text.length() and (text[end] == "_" or text[end].is_valid_identifier() or text[end].is_valid_integer()):
		end += 1
	return text.substr(start, end - start)


# Where the brackets that open at `start` of a text close, and the pieces between their commas; nothing if they do not.
func _brackets(text, start):
	var depth = 0
	var quote = ""
	var pieces = []
	var piece = start + 1
	var place = start
	while place < text.length():
		var letter = text[place]
		if quote != "":
			if letter == "\\":
				place += 1
			elif letter == quote:
				quote = ""
		elif letter == '"' or letter == "'":
			quote = letter
		elif letter in ["(", "[", "{"]:
			depth += 1
		elif letter in [")", "]", "}"]:
			depth -= 1
			if depth == 0:
				pieces.append(text.substr(piece, place - piece))
				return {"close": place, "pieces": pieces}
		elif letter == "," and depth == 1:
			pieces.append(text.substr(piece, place - piece))
			piece = place + 1
		elif letter == "#":
			return {}
		place += 1
	return {}


# A function's head, over several lines if need be: name, parameters as written, arguments to pass them on, return type.
func _head_of(lines, number):
	var text = lines[number].strip_edges()
	var open = text.find("(")
	if open < 0:
		return {}
	var found = {}
	var count = 0
	for more in range(number + 1, min(number + 40, lines.size() + 1)):
		found = _brackets(text, open)
		count += 1
		if not found.empty():
			break
		var mark = text.find("#")
		text = (text if mark < 0 else text.substr(0, mark)) + " " + (lines[more].strip_edges() if more < lines.size() else "")
	if found.empty():
		return {}
	var colon = text.find(":", found.close)
	var arrow = text.find("->", found.close)
	if colon < 0:
		return {}
	var arguments = PoolStringArray()
	for piece in found.pieces:
		var word = _word(piece.strip_edges(), 0)
		if word != "":
			arguments.append(word)
	return {
		"name": _word(text, 5),
		"lines": count,
		"parameters": text.substr(open + 1, found.close - open - 1),
		"arguments": arguments.join(", "),
		"returns": " " + text.substr(arrow, colon - arrow).strip_edges() if arrow >= 0 and arrow < colon else "",
	}


# A line in which what is waited for, and what the tree is to delay, is told to us first.
func _with_waits(line, at):
	var place = line.find("get_tree().create_timer(")
	while place >= 0:
		var found = _brackets(line, place + 23)
		if found.empty():
			break
		var made = "OpossumRecorder.timed(self, %s, %s)" % [line.substr(place, found.close + 1 - place), _quote(at)]
		line = line.substr(0, place) + made + line.substr(found.close + 1)
		place = line.find("get_tree().create_timer(", place + made.length())
	place = line.find("yield(")
	while place >= 0:
		var found = _brackets(line, place + 5)
		if found.empty():
			break
		var made = line.substr(place, found.close + 1 - place)
		if found.pieces.size() == 2 and found.pieces[1].strip_edges()[0] in ['"', "'"] and not _within_text(line, place):
			made = "yield(OpossumRecorder.awaited(self, %s, %s), %s)" % [found.pieces[0], found.pieces[1], found.pieces[1]]
		line = line.substr(0, place) + made + line.substr(found.close + 1)
		place = line.find("yield(", place + made.length())
	return line


func _within_text(line, place):
	var before = line.substr(0, place)
	return before.count('"') % 2 == 1 or before.find("#") >= 0


# --- timers and clips: what no signal tells is looked at once a frame ---------------------------------------

func _armed(timer):
	var id = timer.get_instance_id()
	if not _arms.has(id):
		_arms[id] = _new("a")
		_record("arm", ',"a":%d,"what":"%s","o":%s,"ev":"timeout","sec":%s,"loop":%s' % [_arms[id],
			"delay" if timer.one_shot else "timer", _quote(_name_of(timer)), _number(timer.wait_time), "false" if timer.one_shot else "true"])
	return _arms[id]


func _poll():
	for timer in _timers.duplicate():
		if not is_instance_valid(timer):
			_timers.erase(timer)
			continue
		var id = timer.get_instance_id()
		if timer.is_stopped() and _arms.has(id):
			_record("disarm", ',"a":%d,"how":"%s"' % [_arms[id], "done" if timer.one_shot else "cleared"])
			_arms.erase(id)
		elif not timer.is_stopped():
			_armed(timer)
	for id in _players.keys():
		var player = instance_from_id(id)
		var play = _players[id]
		if player != null and player.is_playing() and player.current_animation == play[1]:
			play[3] = player.current_animation_position
			continue
		var ended = player == null or play[3] + 0.1 >= play[2]
		_record("stop", ',"y":%d,"how":"%s","pos":%s' % [play[0], "end" if ended else "cut", _number(play[2] if ended else play[3])])
		_players.erase(id)


func _started(animation, player):
	var clip = player.get_animation(animation)
	var id = player.get_instance_id()
	if _players.has(id):
		_record("stop", ',"y":%d,"how":"cut","pos":%s' % [_players[id][0], _number(_players[id][3])])
	var marks = PoolStringArray()
	var root = player.get_node(player.root_node)
	for track in range(clip.get_track_count()):
		if clip.track_get_type(track) != Animation.TYPE_METHOD:
			continue
		var target = root.get_node_or_null(clip.track_get_path(track))
		for index in range(clip.track_get_key_count(track)):
			var method = clip.method_track_get_name(track, index)
			marks.append("[%s,%s]" % [_quote(method), _number(clip.track_get_key_time(track, index))])
			if target != null:
				_mark_methods["%d:%s" % [target.get_instance_id(), method]] = id
	var y = _new("y")
	_record("play", ',"y":%d,"o":%s,"clip":%s,"len":%s,"marks":[%s],"rate":%s%s' % [y, _quote(_name_of(player)), _quote(animation), _number(clip.length), marks.join(","), _number(player.playback_speed), _cause()])
	_players[id] = [y, animation, clip.length, 0.0]


# --- what Opossum asks for: tripwires, steps, holds -----------------------------------------------------------

func _hear():
	if not _linked:
		return
	var count = _link.get_available_bytes()
	if count <= 0:
		return
	_heard.append_array(_link.get_partial_data(count)[1])
	var lines = _heard.get_string_from_utf8().split("\n")
	_heard = lines[-1].to_utf8()
	for index in range(lines.size() - 1):
		var told = parse_json(lines[index])
		if typeof(told) == TYPE_DICTIONARY:
			_obey(told)
	_watching = _wires.size() > 0 or _stop != ""


func _obey(told):
	match told.get("k"):
		"ping":
			_writing.lock()
			_waiting.append_array(('{"k":"pong","id":%d,"t":%d,"g":%d}\n' % [int(told.id), int(told.t), (OS.get_ticks_usec() - _begin) * 1000]).to_utf8())
			_hand_over()
			_writing.unlock()
		"refuse":
			_linked = false
			_recording = false
		"hold":
			_stop = "any"
		"go":
			_stop = ""
			_is_held = false
		"step":
			_stop = "frame" if told.get("by") == "frame" else "call"
			_is_held = false
		"untrip":
			_wires.erase(int(told.get("id", 0)))
		"watch":
			if typeof(told.get("o")) == TYPE_STRING and typeof(told.get("name")) == TYPE_STRING and _asked.size() < MOST_ASKED:
				_asked[int(told.get("id", 0))] = [told.o, told.name, null]
		"unwatch":
			_asked.erase(int(told.get("id", 0)))
		"trip":
			if typeof(told.get("when")) == TYPE_DICTIONARY:
				_wires[int(told.get("id", 0))] = [told.when, 0]


# What Opossum asked for of objects that live, where it has changed; nothing of the game's runs for it.
func _read_asked():
	for number in _asked.keys():
		var entry = _asked[number]
		var told = _attribute(entry[0], entry[1])
		if told == "":
			if entry[2] == null:
				_record("say", _text("text", "Opossum: %s %s cannot be watched: no such object, or no such variable that is read without running code" % [entry[0], entry[1]]))
		elif told != entry[2]:
			_record("watch", _text("o", entry[0]) + _text("name", entry[1]) + ',"v":' + told)
		entry[2] = told


func _attribute(o, name):
	for id in _names.keys():
		if _names[id] == o:
			var object = instance_from_id(id)
			if object == null or not is_instance_valid(object):
				return ""
			if name in _variables_of(object) or (object is CanvasItem and name in ["visible", "position", "rect_position", "text"] and name in object):
				var v = object.get(name)
				if v is Array or v is Dictionary:
					return _quote("%s of %d" % ["array" if v is Array else "dictionary", v.size()])
				return _value(v)
	return ""


func _matches(when, names, args, what, gone, again):
	if when.get("at", "call") != what or when.get("gone", false) and not gone or when.get("again", false) and not again:
		return false
	for name in ["ev", "o", "cls", "fn", "via"]:
		if when.has(name) and not names[name].match(str(when[name])):
			return false
	return not when.has("value") or _compares(args, when.value)


func _compares(data, condition):
	for part in str(condition[0]).split("."):
		if typeof(data) == TYPE_DICTIONARY and data.has(part):
			data = data[part]
		elif typeof(data) == TYPE_ARRAY and part.is_valid_integer() and int(part) < data.size():
			data = data[int(part)]
		else:
			return false
	var wanted = condition[2]
	var numbers = typeof(data) in [TYPE_INT, TYPE_REAL] and typeof(wanted) in [TYPE_INT, TYPE_REAL]
	if not numbers and typeof(data) != typeof(wanted):
		return condition[1] == "!="
	match condition[1]:
		"==": return data == wanted
		"!=": return data != wanted
		"<": return data < wanted
		"<=": return data <= wanted
		">": return data > wanted
		">=": return data >= wanted
	return false


func _look(names, args, what, c, gone, again):
	for number in _wires.keys():
		var wire = _wires[number]
		if wire[0].has("longer_ms") or not _matches(wire[0], names, args, what, gone, again):
			continue
		wire[1] += 1
		if not wire[0].has("count") or wire[1] == int(wire[0].count):
			_hold(number, c)
			return


# A call has returned: hold if it took longer than a tripwire allows.
func _look_back(call):
	for number in _wires.keys():
		var when = _wires[number][0]
		if when.has("longer_ms") and OS.get_ticks_usec() - call[2] > float(when.longer_ms) * 1000:
			var fn = call[1].split(" ")[0]
			if not when.has("fn") or fn.match(str(when.fn)):
				_hold(number, call[0], call[1])
				return


# Keep the game here until Opossum lets it go, or goes away.
func _hold(wire, c, returned = ""):
	_is_held = true
	_stop = ""
	_writing.lock()
	_frame_usec = 0  # the watch rests
	var stack = PoolStringArray([_quote(returned)] if returned != "" else [])
	for index in range(_calls.size() - 1, -1, -1):
		stack.append(_quote(_calls[index][1]))
	_writing.unlock()
	if _asked.size() > 0:
		_read_asked()
	_record("held", '%s%s,"stack":[%s]' % [',"trip":%d' % wire if wire else "", ',"c":%d' % c if c else "", stack.join(",")])
	_flush()
	var silent = OS.get_ticks_msec()
	while _is_held and _linked:
		OS.delay_msec(5)
		if _link.get_available_bytes() > 0:
			silent = OS.get_ticks_msec()
		elif _link.get_status() != StreamPeerTCP.STATUS_CONNECTED or OS.get_ticks_msec() - silent > SILENT_MSEC:
			_wires = {}
			_asked = {}
			break
		_hear()
	_is_held = false
	_watching = _wires.size() > 0 or _stop != ""
	_record("went", "")
	_flush()
	_frame_usec = OS.get_ticks_usec()


# --- the black box: on a thread of its own ------------------------------------------------------------------

func _watch_over(_nothing):
	var pause = 120
	while not _ending:
		OS.delay_msec(int(min(pause, 120)))
		var since = _frame_usec
		var stuck = OS.get_ticks_usec() - since
		if since == 0 or stuck < ALLOWED_USEC:
			continue
		_writing.lock()
		if _frame_usec != since:  # it moved on while this thread waited for its turn
			_writing.unlock()
			continue
		var stack = PoolStringArray()
		for index in range(_calls.size() - 1, -1, -1):
			stack.append(_quote(_calls[index][1]))
		var c = ',"c":%d' % _calls[-1][0] if _calls.size() > 0 else ""
		var line = '{"k":"stuck","t":%d,"th":"watch","sec":%.3f,"stack":[%s]%s}\n' % [
			(OS.get_ticks_usec() - _begin) * 1000, stuck / 1000000.0, stack.join(","), c]
		_waiting.append_array(line.to_utf8())
		_hand_over()
		_writing.unlock()
		OS.delay_msec(380)
