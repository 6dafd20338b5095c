"""Array types used throughout the core. Shapes are given in each docstring."""

import numpy as np
from numpy.typing import NDArray

F64 = NDArray[np.float64]
F32 = NDArray[np.float32]
I16 = NDArray[np.int16]
I32 = NDArray[np.int32]
I64 = NDArray[np.int64]
U8 = NDArray[np.uint8]
U16 = NDArray[np.uint16]
Bool = NDArray[np.bool_]
I8 = NDArray[np.int8]
U64 = NDArray[np.uint64]
