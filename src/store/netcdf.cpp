#include "netcdf.hpp"

#include <hdf5.h>

#include <limits>

namespace williwaw::store {

namespace {

// A file whose close failed stays open within HDF5, which would try again when the program ends and crash.
void leave_exit_alone() {
  static const bool told = [] {
    H5dont_atexit();
    return true;
  }();
  static_cast<void>(told);
}

// What is wrong is told by errors. NetCDF has silenced HDF5 for the thread that called it first only.
void leave_standard_error_alone() {
  thread_local const bool told = [] {
    H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr);
    return true;
  }();
  static_cast<void>(told);
}

}  // namespace

void NetcdfFile::check(int status) const {
  if (status != NC_NOERR) throw StoreError(file_.string() + ": " + nc_strerror(status));
}

std::unique_ptr<NetcdfFile> NetcdfFile::create(const std::filesystem::path& file) {
  leave_exit_alone();
  leave_standard_error_alone();
  int id = -1;
  const int status = nc_create(file.c_str(), NC_NETCDF4 | NC_CLOBBER, &id);
  if (status != NC_NOERR) throw StoreError(file.string() + ": " + nc_strerror(status));
  return std::make_unique<NetcdfFile>(id, file);
}

std::unique_ptr<NetcdfFile> NetcdfFile::open(const std::filesystem::path& file) {
  leave_exit_alone();
  leave_standard_error_alone();
  int id = -1;
  const int status = nc_open(file.c_str(), NC_NOWRITE, &id);
  if (status != NC_NOERR) throw StoreError(file.string() + ": cannot be read (" + nc_strerror(status) + ")");
  return std::make_unique<NetcdfFile>(id, file);
}

NetcdfFile::~NetcdfFile() {
  if (id_ >= 0) nc_close(id_);
}

void NetcdfFile::close() {
  if (id_ < 0) return;
  const int status = nc_close(id_);
  id_ = -1;
  if (status != NC_NOERR)
    throw StoreError(file_.string() + ": cannot be written completely (" + nc_strerror(status) +
                     "): is the disk full?");
}

int NetcdfFile::dimension(const std::string& name, std::size_t size) const {
  int result = -1;
  check(nc_def_dim(id_, name.c_str(), size, &result));
  return result;
}

int NetcdfFile::variable(const std::string& name, const std::vector<int>& dimensions) const {
  int result = -1;
  check(nc_def_var(id_, name.c_str(), NC_DOUBLE, static_cast<int>(dimensions.size()), dimensions.data(),
                   &result));
  return result;
}

int NetcdfFile::find(const std::string& name) const {
  int result = -1;
  check(nc_inq_varid(id_, name.c_str(), &result));
  return result;
}

bool NetcdfFile::has(const std::string& name) const {
  int result = -1;
  return nc_inq_varid(id_, name.c_str(), &result) == NC_NOERR;
}

void NetcdfFile::attribute(int variable, const std::string& name, const std::string& value) const {
  check(nc_put_att_text(id_, variable, name.c_str(), value.size(), value.data()));
}

void NetcdfFile::attribute(int variable, const std::string& name, int value) const {
  check(nc_put_att_int(id_, variable, name.c_str(), NC_INT, 1, &value));
}

void NetcdfFile::attribute(int variable, const std::string& name, Real value) const {
  check(nc_put_att_double(id_, variable, name.c_str(), NC_DOUBLE, 1, &value));
}

std::string NetcdfFile::text(int variable, const std::string& name) const {
  std::size_t length = 0;
  if (nc_inq_attlen(id_, variable, name.c_str(), &length) != NC_NOERR) return "";
  std::string result(length, '\0');
  check(nc_get_att_text(id_, variable, name.c_str(), result.data()));
  return result;
}

Real NetcdfFile::number(int variable, const std::string& name) const {
  std::size_t count = 0;
  check(nc_inq_attlen(id_, variable, name.c_str(), &count));
  if (count != 1) damaged("attribute '" + name + "' holds " + std::to_string(count) + " numbers");
  Real result = 0;
  check(nc_get_att_double(id_, variable, name.c_str(), &result));
  return result;
}

void NetcdfFile::missing_value(int variable) const {
  const Real none = std::numeric_limits<Real>::quiet_NaN();
  check(nc_def_var_fill(id_, variable, NC_FILL, &none));
}

std::vector<std::size_t> NetcdfFile::shape(int variable) const {
  int dimension = 0;
  check(nc_inq_varndims(id_, variable, &dimension));
  std::vector<int> dimensions(static_cast<std::size_t>(dimension));
  check(nc_inq_vardimid(id_, variable, dimensions.data()));
  std::vector<std::size_t> result;
  for (const int d : dimensions) check(nc_inq_dimlen(id_, d, &result.emplace_back(0)));
  return result;
}

std::vector<Real> NetcdfFile::values(int variable) const {
  std::vector<Real> result = buffer(variable, shape(variable));
  if (!result.empty()) check(nc_get_var_double(id_, variable, result.data()));
  return result;
}

std::vector<Real> NetcdfFile::part(int variable, const std::vector<std::size_t>& start,
                                   const std::vector<std::size_t>& count) const {
  const auto whole = shape(variable);
  bool inside = whole.size() == start.size();
  for (std::size_t d = 0; inside && d < whole.size(); ++d)
    inside = count[d] <= whole[d] && start[d] <= whole[d] - count[d];
  if (!inside) damaged("a variable has other dimensions than its grid and its times");
  std::vector<Real> result = buffer(variable, count);
  if (!result.empty()) check(nc_get_vara_double(id_, variable, start.data(), count.data(), result.data()));
  return result;
}

// Compression makes constants some thousand times smaller; whatever is beyond that is a damaged count.
void NetcdfFile::expect_to_hold(int variable, const std::vector<std::size_t>& count) const {
  std::error_code unknown;
  const auto bytes = std::filesystem::file_size(file_, unknown);
  const double most = unknown ? 1e12 : 1e6 + 3e3 * static_cast<double>(bytes);
  double wanted = 1;
  for (const std::size_t length : count) wanted *= static_cast<double>(length);
  if (wanted <= most) return;
  char name[NC_MAX_NAME + 1] = {};
  nc_inq_varname(id_, variable, name);
  damaged("variable '" + std::string(name) + "' would hold more numbers than such a file can");
}

std::vector<Real> NetcdfFile::buffer(int variable, const std::vector<std::size_t>& count) const {
  expect_to_hold(variable, count);
  std::size_t wanted = 1;
  for (const std::size_t length : count) wanted *= length;
  return std::vector<Real>(wanted);
}

void NetcdfFile::damaged(const std::string& what) const {
  throw StoreError(file_.string() + ": is damaged: " + what);
}

}  // namespace williwaw::store
