#!/bin/sh
# What `export` writes, read by programs that are not Williwaw: NumPy for .npy, meshio for VTK, Python's csv.
set -eu
program=$1
cases=$2
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
"$program" run "$cases/cellar.toml" -o "$folder/cellar" --quiet --set figure='[]'
"$program" run "$cases/brine-tank.toml" -o "$folder/tank" --quiet --set time.until="2 day" --set figure='[]'
for run in cellar tank; do
  for to in csv vtk npy; do "$program" export "$folder/$run" --to $to -o "$folder/$run-$to" >/dev/null; done
done
"$program" export "$folder/tank" --to csv --layout wide --times "0 day,2 day" -o "$folder/tank-wide" >/dev/null

/usr/bin/python3 - "$folder" <<'PYTHON'
import csv, sys
import meshio, numpy

top = sys.argv[1]
# A plan of cells with a corner and a round tank cut out.
u = numpy.load(top + "/cellar-npy/temperature.npy")
x, y, t = (numpy.load(top + "/cellar-npy/%s.npy" % n) for n in "xyt")
assert u.shape == (1, 120, 160) and x.shape == (160,) and y.shape == (120,) and t.shape == (1,)
assert numpy.isclose(x[0], 0.125) and numpy.isclose(y[-1], 29.875)
assert numpy.isnan(u[0, :24, :32]).all() and not numpy.isnan(u[0, 24:, :32]).any()
there = numpy.isfinite(u)
mesh = meshio.read(top + "/cellar-vtk/temperature-0000.vtu")
cells = mesh.cells[0]
assert cells.type == "quad" and len(cells.data) == there.sum()
middles = mesh.points[cells.data].mean(axis=1)
values = mesh.cell_data["temperature"][0]
i = numpy.rint(middles[:, 0] / 0.25 - 0.5).astype(int)
j = numpy.rint(middles[:, 1] / 0.25 - 0.5).astype(int)
assert numpy.allclose(values, u[0, j, i])
rows = list(csv.reader(open(top + "/cellar-csv/fields.csv")))
assert rows[0] == ["t [h]", "x [m]", "y [m]", "temperature [degC]"] or rows[0] == ["t [s]", "x [m]", "y [m]", "temperature [degC]"]
assert len(rows) == 1 + there.sum()
assert abs(float(rows[1][3]) - u[0, 0, 32]) < 1e-6 and abs(float(rows[1][1]) - 8.125) < 1e-9

# A block of nodes over time.
s = numpy.load(top + "/tank-npy/salinity.npy")
assert s.shape == (3, 25, 33, 49)
mesh = meshio.read(top + "/tank-vtk/salinity-0002.vtu")
assert mesh.cells[0].type == "hexahedron" and len(mesh.cells[0].data) == 24 * 32 * 48
assert numpy.allclose(mesh.point_data["salinity"].reshape(25, 33, 49), s[2])
assert numpy.allclose(mesh.points.reshape(25, 33, 49, 3)[3, 4, 5], [5 * 6 / 48, 4 * 4 / 32, 3 * 3 / 24])
collection = open(top + "/tank-vtk/salinity.pvd").read()
assert 'timestep="2" file="salinity-0002.vtu"' in collection
wide = list(csv.reader(open(top + "/tank-wide/fields.csv")))
assert wide[0][3:] == ["salinity at t = 0 day [kg/m^3]", "salinity at t = 2 day [kg/m^3]"], wide[0]
assert len(wide) == 1 + 25 * 33 * 49 and abs(float(wide[-1][4]) - s[2, -1, -1, -1]) < 1e-6
print("read by NumPy and meshio: as it should be")
PYTHON
