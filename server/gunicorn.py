"""How gunicorn serves: one process, so that what the core computed is kept once, and threads."""

import gc

worker_class = "gthread"
workers = 1
threads = 12
timeout = 120
graceful_timeout = 5
keepalive = 30
accesslog = None
loglevel = "warning"
control_socket_disable = True


def post_worker_init(worker) -> None:
    """Have the core's kernels compiled before the first person asks, and spare what stays from being looked through for garbage."""
    from server.warm import warm

    warm()
    gc.collect()
    gc.freeze()
