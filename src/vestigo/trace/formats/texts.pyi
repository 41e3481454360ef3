# What readers do with texts in native code (native/bind/texts.cpp).
import numpy as np
import numpy.typing as npt

class Texts:
    def __init__(self, seed: int) -> None: ...
    def number(
        self,
        offsets: npt.NDArray[np.int32],
        letters: npt.NDArray[np.uint8],
        missing: npt.NDArray[np.bool_] | None,
    ) -> npt.NDArray[np.int32]: ...
    def texts(self) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.uint8]]: ...

def last_words(address: int, size: int, sentence: str) -> None:
    """What the process says where a page of this memory is gone, since the file that is mapped there was cut."""

def end_with(status: int) -> None:
    """The exit status then, instead of an end by the signal."""

def lines_beyond(text: npt.NDArray[np.uint8], depth: int, length: int) -> tuple[int, int]: ...
