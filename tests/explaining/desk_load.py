"""Makes load for the desk's service: python desk_load.py PORT SECONDS. It asks for 40 vessels, and much more often for
one berth.
"""

import http.client
import random
import sys
import time


def main(port: str, seconds: str) -> None:
    connection = http.client.HTTPConnection("127.0.0.1", int(port), timeout=10)
    draw, until = random.Random(3), time.monotonic() + float(seconds)
    while time.monotonic() < until:
        path = f"/vessels/Q{draw.randrange(40)}" if draw.random() < 0.7 else "/berths/A1"
        connection.request("GET", path)
        connection.getresponse().read()
        time.sleep(0.002)


if __name__ == "__main__":
    main(*sys.argv[1:])
