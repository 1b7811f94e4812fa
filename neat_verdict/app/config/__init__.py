"""What the application is made of: settings, addresses, the doors of its servers."""

import os

# Matrices are small here, and threads of OpenBLAS wait for one another where requests run side by side: a reading that takes
# half a second takes twenty. Said before NumPy is loaded; who runs the server may say otherwise.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
