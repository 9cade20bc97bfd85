extends Node

var loaves = []
var cold = 0


func _process(_delta):
	for loaf in loaves:
		if loaf > 10:
			cold += 1
