extends Node

var hungry = true


func on_smell(_count = 1):
	hungry = true
