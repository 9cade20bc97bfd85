extends Node

signal delivered(loaves)

var fault = ""
var turns = 0
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
	$Arms.play("knead")


func _process(_delta):
	turns += 1
	if turns == 50:
		leaving = $Customer
		if fault != "stale":
			$Oven.disconnect("bread_ready", leaving, "on_smell")
		remove_child(leaving)
	if turns == 80 and fault == "slow":
		OS.delay_msec(400)
	while turns == 80 and fault == "loop":
		pass
	if turns == 150:
		leaving.free()
		get_tree().quit(3)


func on_baked(count):
	emit_signal("delivered", count)


func on_fold():
	pass


func on_turn():
	pass
