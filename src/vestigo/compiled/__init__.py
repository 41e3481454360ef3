"""Native code: `kernel` replays (native/bind/kernel.cpp), `texts` serves readers of files (native/bind/texts.cpp)."""
