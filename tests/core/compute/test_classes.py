"""Posting keys in classes that no leaf tells apart: each leaf holds exactly the keys of its classes."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from rulka.core.compute.amounts import classes_of, reach_of, sums


@pytest.mark.parametrize("overlap", [False, True])
@pytest.mark.parametrize("seed", range(40))
def test_classes_hold_what_their_leaves_hold(seed, overlap):
    random = np.random.default_rng(seed)
    keys, leaves = int(random.integers(1, 60)), int(random.integers(0, 9))
    if overlap:
        masks = random.random((leaves, keys)) < 0.3
    else:
        masks = random.integers(-1, max(leaves, 1), keys) == np.arange(leaves)[:, None]
    classes = classes_of([np.flatnonzero(mask) for mask in masks], keys)
    held = classes.leaves.toarray()
    assert held.shape == (leaves, classes.count) and not held[:, 0].any()
    for leaf, mask in enumerate(masks):
        assert (held[leaf, classes.of_key].astype(bool) == mask).all()
    # what is summed by class is what each leaf sums of its own keys
    columns = [random.integers(-(2**55), 2**55, keys) for _ in range(3)]
    nodes = [random.random(keys) < 0.7, np.ones(keys, dtype=bool)]
    found = sums(classes, reach_of(classes, nodes), columns)
    for place, node in enumerate(nodes):
        for leaf, mask in enumerate(masks):
            assert found[place, leaf].tolist() == [int(column[mask & node].sum()) for column in columns]


def test_keys_of_any_three_leaves_are_classes_of_their_own():
    triples = list(itertools.combinations(range(8), 3))
    masks = np.array([[leaf in triple for triple in triples] for leaf in range(8)])
    classes = classes_of([np.flatnonzero(mask) for mask in masks], len(triples))
    assert len(set(classes.of_key.tolist())) == len(triples) == classes.count - 1
    assert (classes.leaves.toarray()[:, classes.of_key] == masks).all()
