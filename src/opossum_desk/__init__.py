"""The desk: the window a gameplay programmer sits at.

`state` holds what is looked at, `layout` decides what is where (both plain Python and NumPy, no Qt),
`views` paints and takes the hands' wishes.  Imports point views → layout → state → core.
"""
