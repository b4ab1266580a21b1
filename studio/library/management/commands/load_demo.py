"""Load the demo production, unless it is there already."""

from typing import Any

from django.core.management.base import BaseCommand

from studio.library.starting import load_demo


class Command(BaseCommand):
    """``load_demo``."""

    help = "Load the demo production, unless it is there already."

    def handle(self, *args: Any, **options: Any) -> None:
        """Load it."""
        self.stdout.write(f"The demo production {load_demo().name} is ready.")
