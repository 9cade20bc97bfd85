extends Node

signal delivered(loaves)
signal opened

var fault = ""
var turns = 0
var folds = 0
var cooled = 0
var leaving = null


func _ready():
	for argument in OS.get_cmdline_args():
		if argument.begins_with("--fault="):
			fault = argument.trim_prefix("--fault=")
	$Oven.connect("bread_ready", $Counter, "on_bread_ready")
	$Oven.connect("bread_ready", $Customer, "on_smell")
	if fault == "double":
		connect("delivered", $Counter, "on_bread_ready")
		$Oven.connect("bread_ready", self, "on_baked")
	if fault == "early":
		emit_signal("opened")
	connect("opened", $Counter, "on_opened")
	if fault != "early":
		emit_signal("opened")
	if fault == "timer":
		$Cooling.start()
	if fault == "poll":
		add_child(preload("res://shelf.gd").new())
	if fault == "wait":
		wait_for_guest()
	$Arms.play("knead")


func _process(_delta):
	turns += 1
	if turns == 4 and fault == "cut":
		$Arms.stop()
	if turns == 40 and fault == "again":
		for _number in range(5):
			get_tree().create_timer(0.4).connect("timeout", self, "on_cooled")
	if turns == 60:
		emit_signal("opened")
	if turns == 50:
		leaving = $Customer
		if fault != "stale":
			$Oven.disconnect("bread_ready", leaving, "on_smell")
		remove_child(leaving)
	if turns == 80 and fault == "slow":
		OS.delay_msec(800)
	while turns == 80 and fault == "loop":
		pass
	if turns == (420 if fault == "wait" else 150):
		leaving.free()
		get_tree().quit(3)


func on_baked(count):
	emit_signal("delivered", count)


func on_fold():
	folds += 1


func on_cooled():
	cooled += 1


func wait_for_guest():
	yield($Counter, "closed")
	folds += 1


func on_turn():
	pass
