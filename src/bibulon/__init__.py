"""Bibulon: plan and run vacuum infusion and light RTM jobs.

A :class:`~bibulon.job.Job` says what was decided and what happened; :func:`~bibulon.assess.assess` derives
everything that follows from it:

>>> from bibulon.demo import demo_job
>>> from bibulon.assess import assess
>>> assess(demo_job()).laminate.total.dry_mass_kg > 10
True

The modules, from the bottom up: ``quantities`` (units), ``job`` (the value and its storage), ``stock`` (material
cards), ``laminate``, ``flow`` (the simulator), ``resin``, ``vacuum``, ``bag``, ``cautions``, ``assess``; then
``record``, ``instruments``, ``exchange``, ``cli``; and on top ``desk``, the only place that knows Qt.
"""

import logging

from bibulon.switches import keep_algebra_on_one_thread

__version__ = "0.1.0"
keep_algebra_on_one_thread()
logging.getLogger(__name__).addHandler(logging.NullHandler())
