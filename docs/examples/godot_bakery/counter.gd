extends Node

signal closed

var loaves = 0


func on_bread_ready(count: int) -> void:
	take(count)


func take(count, more = [1, 2]):
	loaves += count + more.size()


func on_opened():
	loaves = 0
