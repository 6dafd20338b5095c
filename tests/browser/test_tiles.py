"""A machinist cuts a board that is longer than the router in tiles: from the fix that the finding offers to the
files."""

from pathlib import Path

import numpy as np
import pytest
from demo.screenshots import press, until
from selenium.webdriver.common.by import By

from browser.page import bring_in, calculated, press_at, press_like, text, type_in
from browser.test_faces import files_of, plan_of
from meshes import grid_mesh
from nephos.core.mesh.formats.stl import write_stl

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def test_tiles_from_the_fix_to_the_files(browser, tmp_path: Path) -> None:
    x, y = np.meshgrid(np.linspace(0, 1000, 201), np.linspace(0, 40, 21))
    board = tmp_path / "board.stl"
    board.write_bytes(write_stl(grid_mesh(x, y, 4 + 2 * np.sin(x / 30))))
    bring_in(browser, board)
    until(browser, lambda d: "Cut in tiles" in text(d), 60)
    press(browser, "Cut in tiles")
    until(browser, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-testid='tile-a.2']"), 60)
    assert "longer along X" not in text(browser)
    press_at(browser, "[data-testid=setup-a] button")
    until(browser, lambda d: "Seam 1 at X" in text(d))
    seam = plan_of(browser)["setups"][0]["tiles"]["seams_x"][0]
    type_in(browser, "Seam 1 at X", str(round(seam) + 10))
    until(browser, lambda d: plan_of(d)["setups"][0]["tiles"]["seams_x"][0] == round(seam) + 10, 20)
    press_at(browser, "[data-testid='turn-a.2'] button")
    until(browser, lambda d: "Slide the board" in text(d) and "Registration error" in text(d))
    calculated(browser, 240)
    names = files_of(browser)
    assert any("TILE1" in name for name in names) and any("TILE2" in name for name in names)
    press_like(browser, "The seam came out with a step")
    press(browser, "Add the strip")
    until(browser, lambda d: "Strip in tile" in text(d), 20)
    calculated(browser, 240)
    assert any("STRIP" in name for name in files_of(browser))
    # The programs of the tiles are those that were cut already.
    assert set(names) < set(files_of(browser))
