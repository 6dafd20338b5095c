"""How quickly the page answers while the needle of the run strip jumps about.

`python -m demo.scrubbing [paths|proof] [jumps]` while Nephos runs.
"""

import sys
import time

import numpy as np

from demo.screenshots import chromium, press, until, until_current

_JUMP = """
const [share, done] = arguments;
const input = document.querySelector('footer input[type=range]');
const clock = document.querySelector('[data-testid=clock]'), before = clock.textContent;
const begin = performance.now();
let told = null;
const watch = new MutationObserver(() => {
  if (told !== null || clock.textContent === before) return;
  told = performance.now() - begin;
  watch.disconnect();
  requestAnimationFrame(() => setTimeout(() => done([told, performance.now() - begin]), 0));
});
watch.observe(clock, {childList: true, subtree: true, characterData: true});
Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(input, String(share * Number(input.max)));
input.dispatchEvent(new Event('input', {bubbles: true}));
input.dispatchEvent(new Event('change', {bubbles: true}));
"""


def main() -> int:
    """Jump to places all over the program and tell the times from the press to the page's answer, and to the frame
    after it."""
    mode = sys.argv[1] if len(sys.argv) > 1 else "paths"
    jumps = int(sys.argv[2]) if len(sys.argv) > 2 else 40
    driver = chromium()
    try:
        driver.get("http://localhost:8460")
        press(driver, "Heron plaque")
        until(driver, lambda d: d.find_elements("css selector", "[data-ready]"))
        until_current(driver)
        until(driver, lambda d: d.find_elements("css selector", "[data-testid=clock]"))
        press(driver, mode.capitalize())
        time.sleep(6)
        times = []
        for k, share in enumerate(np.random.default_rng(1).uniform(0.02, 0.98, jumps)):
            times.append(driver.execute_async_script(_JUMP, float(share)))
            # Like a hand: some jumps follow at once, before some of them it rests until the full picture is drawn.
            time.sleep(2.0 if k % 10 == 9 else 0.15)
        answers, frames = np.array(times).T
        for name, values in (("answer", answers), ("frame", frames)):
            print(
                f"{mode} {name}: median {np.median(values):.0f} ms, 90 % {np.percentile(values, 90):.0f}, most "
                f"{values.max():.0f}; "
                f"over 100 ms: {(values > 100).sum()} of {jumps}"
            )
    finally:
        driver.quit()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
