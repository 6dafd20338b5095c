"""The help opens beside the job at what is chosen, without anything from outside."""

import pytest
from demo.screenshots import until
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from browser.page import press_at, text

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def opened(driver) -> str:
    """The address of the window of the help, once it is there."""
    until(driver, lambda d: len(d.window_handles) == 2)
    driver.switch_to.window(driver.window_handles[1])
    until(driver, lambda d: "/help/" in d.current_url)
    return driver.current_url


def test_a_key_opens_the_help_on_the_chosen_operation(hill_job) -> None:
    driver = hill_job
    press_at(driver, "[data-testid='operation-20'] button")
    driver.find_element(By.TAG_NAME, "body").send_keys(Keys.F1)
    assert opened(driver).endswith("/help/strategies#finish_raster")
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "#finish_raster[data-here]"))
    driver.find_element(By.CSS_SELECTOR, "nav input").send_keys("chuck tailstock")
    until(driver, lambda d: "Rotary" in text(d))
    driver.find_element(By.XPATH, "//nav//a[contains(., 'Rotary')]").click()
    until(driver, lambda d: "/help/rotary" in d.current_url and "chuck" in d.find_element(By.TAG_NAME, "article").text)
    outside = driver.execute_script(
        "return performance.getEntriesByType('resource').map((one) => new URL(one.name).host)"
        ".filter((host) => host !== location.host)"
    )
    assert outside == []
