#!/bin/sh
# fields.nc read by programs that are not Williwaw: ncdump for its shape and attributes, HDF5 through h5py for
# coordinates, bounds and numbers, compared with series.csv.
set -eu
program=$1
cases=$2
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
"$program" run "$cases/hut-floor.toml" -o "$folder/hut" --quiet
"$program" run "$cases/hut-floor.toml" -o "$folder/dated" --quiet --set figure='[]' --set record.start_date='"2026-01-15 18:00"'
"$program" run "$cases/brine-tank.toml" -o "$folder/tank" --quiet --set time.until="2 day" --set figure='[]'

ncdump -h "$folder/hut/fields.nc" >"$folder/header"
for line in 'temperature:units = "degC"' 'x:units = "m"' 'x:bounds = "x_bounds"' 'x:axis = "X"' 'time:units = "h"' \
  ':Conventions = "CF-1.8"' 'double temperature(time, x)' 'time = UNLIMITED ; // (25 currently)'; do
  grep -qF "$line" "$folder/header" || { echo "ncdump does not show: $line"; cat "$folder/header"; exit 1; }
done

/usr/bin/python3 - "$folder" <<'PYTHON'
import csv, sys
import h5py, numpy

hut = h5py.File(sys.argv[1] + "/hut/fields.nc")
x, bounds, u, t = hut["x"][:], hut["x_bounds"][:], hut["temperature"][:], hut["time"][:]
assert u.shape == (25, 80) and numpy.isclose(t[-1], 12)
assert numpy.allclose(bounds.mean(axis=1), x) and numpy.allclose(bounds[1:, 0], bounds[:-1, 1])
assert bounds[0, 0] == 0 and numpy.isclose(bounds[-1, 1], 0.4)
assert numpy.allclose(u[0], 18) and u.min() > -22.001 and u.max() < 20.001
rows = list(csv.reader(open(sys.argv[1] + "/hut/series.csv")))
pipe = rows[0].index("pipe [degC]")
last = [float(v) if v else None for v in rows[-1]]
assert abs(numpy.interp(0.12, x, u[-1]) - last[pipe]) < 1e-6
assert abs(u[-1].min() - last[rows[0].index("minimum [degC]")]) < 1e-6

tank = h5py.File(sys.argv[1] + "/tank/fields.nc")
s = tank["salinity"]
assert s.shape == (3, 25, 33, 49) and s.attrs["units"].decode() == "kg/m^3"
assert [tank[n].attrs["units"].decode() for n in "xyz"] == ["cm"] * 3
assert numpy.allclose(s[-1, :, 1:, 0], 35) and numpy.isclose(tank["z"][-1], 3)
assert s[-1, 12, 16, 8] > s[-1, 12, 16, 40]
print("read by h5py: as it should be")

import netCDF4

dated, plain = (netCDF4.Dataset(sys.argv[1] + "/%s/fields.nc" % name) for name in ("dated", "hut"))
assert dated["time"].units == "hours since 2026-01-15 18:00:00" and dated["time"].standard_name == "time"
dates = netCDF4.num2date(dated["time"][:], dated["time"].units, dated["time"].calendar)
assert str(dates[0]) == "2026-01-15 18:00:00" and str(dates[-1]) == "2026-01-16 06:00:00"
assert (dated["temperature"][:] == plain["temperature"][:]).all()
# A duration is no time of the calendar, and does not say so.
assert plain["time"].units == "h" and not hasattr(plain["time"], "axis") and not hasattr(plain["time"], "calendar")
# What CF conventions have names for is not called by them where it is something else.
assert "coordinates" not in plain.ncattrs() and plain.coordinate_system == "cartesian"
for data in (dated, plain):
    for name, variable in data.variables.items():
        assert name.endswith("_bounds") or getattr(variable, "units", "") or name == "stage", name
        bounds = getattr(variable, "bounds", None)
        assert bounds is None or data[bounds].shape == variable.shape + (2,), name
print("read by netCDF4: as it should be")
PYTHON
