"""The widgets: they paint what `layout` lists and turn hands into changes of `state`."""
