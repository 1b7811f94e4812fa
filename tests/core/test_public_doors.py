"""What the core offers, and that it offers nothing else."""

import dataclasses
import importlib
import inspect
import pkgutil

import pytest

import neat_verdict.core as core

DOORS = sorted(info.name for info in pkgutil.iter_modules(core.__path__) if info.ispkg)


@pytest.mark.parametrize("door", DOORS)
def test_each_package_names_what_it_offers_in_order(door):
    module = importlib.import_module(f"neat_verdict.core.{door}")
    names = module.__all__
    assert names == sorted(names, key=lambda name: (not name.isupper(), not name[0].isupper(), name))
    assert all(hasattr(module, name) for name in names)


@pytest.mark.parametrize("door", DOORS)
def test_everything_offered_says_what_it_is(door):
    module = importlib.import_module(f"neat_verdict.core.{door}")
    offered = [getattr(module, name) for name in module.__all__]
    silent = [
        thing.__name__ for thing in offered if inspect.isclass(thing) or inspect.isfunction(thing) if not thing.__doc__
    ]
    assert silent == []


def test_results_are_frozen():
    thawed = []
    for info in pkgutil.walk_packages(core.__path__, "neat_verdict.core."):
        module = importlib.import_module(info.name)
        for name, thing in vars(module).items():
            if (
                dataclasses.is_dataclass(thing)
                and thing.__module__ == info.name
                and not thing.__dataclass_params__.frozen
            ):
                thawed.append(f"{info.name}.{name}")
    assert thawed == []
