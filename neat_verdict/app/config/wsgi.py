"""What gunicorn starts."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "neat_verdict.app.config.settings")
application = get_wsgi_application()
