"""How fast a field is laid."""

from tests.support import A_SLOW_MACHINE

from cool_sheen.core.gun.field import Panel, Spray, Strokes, evenness, lay, passes_over


def test_forty_swung_strokes_on_two_hundred_by_a_hundred_and_fifty_cells(benchmark):
    panel, spray = Panel(2000, 1500, 200, 150), Spray(200, 0.7, 250, 180)
    strokes = (passes_over(panel, spray, Strokes(pivot_mm=600, coats=3, second="across")) * 2)[:40]
    film = benchmark(lambda: lay(panel, spray, strokes))
    assert film.shape == (150, 200)
    assert evenness(film, 50, 108).mean_um > 50
    assert len(strokes) == 40
    assert benchmark.stats.stats.median < 0.1 * A_SLOW_MACHINE
