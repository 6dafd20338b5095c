"""The web server's entry."""

import os

from django.core.asgi import get_asgi_application

from nephos.processes import end_with_parent

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "nephos.web.settings")
end_with_parent()
_django = get_asgi_application()

from nephos.web.gate import Gate  # noqa: E402  settings must be there first

application = Gate(_django)
