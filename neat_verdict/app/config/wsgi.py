"""What gunicorn starts."""

import os

from django.core.wsgi import get_wsgi_application

from neat_verdict.app.memory import collect_seldom

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "neat_verdict.app.config.settings")
application = get_wsgi_application()
collect_seldom()
