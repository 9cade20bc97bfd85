extends Node

signal bread_ready(loaves)

var heat = 0


func on_steam():
	heat += 1
	if heat % 2 == 0:
		emit_signal("bread_ready", heat / 2)
