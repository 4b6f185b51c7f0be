import sys

import numpy as np

from kilnchisel.core.job.garments import measures_of
from tailoring.drape import JERSEY, draped
from tailoring.patterns import panels_of
from tailoring.sewn import sewn

h = float(sys.argv[1])
m = measures_of(sys.argv[2], sys.argv[3])
c = sewn(panels_of(m, h), h)
print(len(c.points), len(c.faces))
x = draped(c, m, JERSEY, seed=1, seconds=float(sys.argv[4]), say=lambda w: print(w, flush=True))
np.savez("/tmp/w/drape.npz", x=x, faces=c.faces)
