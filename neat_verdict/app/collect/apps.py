"""What collect does when something happens elsewhere."""

from typing import Any

from django.apps import AppConfig


class CollectConfig(AppConfig):
    name = "neat_verdict.app.collect"

    def ready(self) -> None:
        """Count again by those who count when that was changed."""
        from neat_verdict.app.collect.events import rebuild  # models are loaded now
        from neat_verdict.app.experiments.actions import counting_changed

        def count_again(experiment: Any, **_: Any) -> None:
            rebuild([experiment.key])

        counting_changed.connect(count_again, weak=False, dispatch_uid="collect.count_again")
