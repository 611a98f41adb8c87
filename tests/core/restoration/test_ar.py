"""The kernels that restoration stands on, against scipy's own."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.linalg import solve_toeplitz
from scipy.signal import lfilter

from inkwell_groove.core.restoration import ar


@given(st.integers(1, 90), st.floats(0.0, 0.98), st.integers(0, 2**31))
def test_a_toeplitz_system_is_solved_as_scipy_solves_it(size: int, likeness: float, seed: int) -> None:
    column = likeness ** np.arange(size)
    column[0] += 0.05
    right = np.random.default_rng(seed).standard_normal(size)
    solved, believed = ar.solve_toeplitz(column, right)
    assert believed
    np.testing.assert_allclose(solved, solve_toeplitz(column, right), atol=1e-9 * np.abs(right).max() / 0.02)


@pytest.mark.parametrize("column", [[0.0, 0.0], [1.0, 2.0, 1.0], [1.0, 0.9, -0.9, 0.9], [-1.0]])
def test_a_matrix_that_is_not_definite_is_told(column: list[float]) -> None:
    assert not ar.solve_toeplitz(np.array(column), np.ones(len(column)))[1]


@pytest.mark.parametrize("order", [1, 32, 63, 64, 65, 200])
def test_correlations_are_the_same_summed_and_by_fft(order: int) -> None:
    sound = np.random.default_rng(order).standard_normal((3, 500))
    expected = [[one[: 500 - lag] @ one[lag:] for lag in range(order + 1)] for one in sound]
    np.testing.assert_allclose(ar.autocorrelation(sound, order), expected, rtol=1e-9, atol=1e-9)


@pytest.mark.parametrize(("samples", "hop", "order"), [(1_000, 1_000, 7), (1_000, 128, 32), (90, 33, 48), (20, 64, 32)])
def test_excitation_is_what_the_filter_of_each_frame_leaves(samples: int, hop: int, order: int) -> None:
    rng = np.random.default_rng(samples)
    sound = rng.standard_normal(samples).astype(np.float32)
    filters = rng.standard_normal((-(-samples // hop), order + 1)).astype(np.float32)
    frame = np.arange(samples) // hop
    forwards = np.stack([lfilter(one, [1.0], sound) for one in filters])[frame, np.arange(samples)]
    backwards = np.stack([lfilter(one, [1.0], sound[::-1])[::-1] for one in filters])[frame, np.arange(samples)]
    forwards[:order] = 0.0  # what has no past is not told
    backwards[max(0, samples - order) :] = 0.0
    np.testing.assert_allclose(ar.predict_error(sound, filters, hop), forwards, atol=1e-3)
    np.testing.assert_allclose(ar.predict_back(sound, filters, hop), backwards, atol=1e-3)


def test_run_backwards_white_excitation_keeps_its_variance() -> None:
    rng = np.random.default_rng(3)
    filters = rng.standard_normal((10, 33)).astype(np.float32)
    white = rng.standard_normal(100_000).astype(np.float32)
    assert ar.matched(white, filters, 10_000)[:-32].std() == pytest.approx(1.0, abs=0.02)
