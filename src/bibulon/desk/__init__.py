"""The desk: all of Qt, and the only place for it.

``document`` holds the Job with undo and autosave, ``fill_runner`` computes fills in a process of its own, ``window``
puts strip, rails, plan and benches together. Nothing here computes a figure: it shows an Assessment and turns gestures
into edits.
"""
