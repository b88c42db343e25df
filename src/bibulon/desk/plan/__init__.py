"""The plan: the part to scale, drawn on with mouse and keyboard.

``frame`` maps metres to pixels, ``layers`` paint, ``tools`` turn gestures into edits, ``view`` is the widget.
"""
