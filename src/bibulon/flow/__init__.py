"""The simulator: resin through pores and pipes.

``problem`` says what it reads of a Job, ``mesh`` and ``network`` turn that into one symmetric system, ``stepper``
advances it by steps of any size, ``fill`` runs it through the valve events and returns what a shop wants to know.
"""
