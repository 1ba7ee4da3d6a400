"""The routes, a file for each bench. Each asks the desk and hands on; the rules are in the core."""

from nubrak.web.routes import (
    cut,
    find,
    gather,
    jobs,
    layer,
    library,
    live,
    mix,
    module,
    print,
    record,
    sessions,
    shape,
    sort,
    write,
)

ROUTERS = (
    library.router,
    sessions.router,
    gather.router,
    find.router,
    sort.router,
    shape.router,
    write.router,
    cut.router,
    layer.router,
    mix.router,
    print.router,
    jobs.router,
    module.router,
    record.router,
    live.router,
)

__all__ = ["ROUTERS"]
