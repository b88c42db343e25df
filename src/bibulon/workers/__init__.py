"""Work in worker processes and threads: one way to run it, to report from it and to cancel it.

A *task* is a function of a module whose first argument is its :class:`~bibulon.workers.report.Report`. One worker
process runs one task at a time (:mod:`~bibulon.workers.process`); many calls of one function are spread over a pool of
them (:mod:`~bibulon.workers.pool`). The desk runs tasks in threads and turns what they report into signals
(:mod:`bibulon.desk.work.background`).
"""
