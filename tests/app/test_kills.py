"""Twenty kills and dropped connections: nothing that was acknowledged is lost, and nothing is there twice."""

from tests.soak import kills
from tests.support import free_port


def test_no_press_is_lost_or_doubled_by_kills_and_dropped_connections(tmp_path):
    wrong, devices = kills.run(tmp_path, kills.laid(tmp_path), free_port(), rounds=20)
    assert wrong == []
    assert sum(len(device.sure) for device in devices) >= 20
    assert sum(device.dropped for device in devices)
