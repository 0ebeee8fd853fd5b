// The few NetCDF calls that fields need, with errors that name the file.
#pragma once

#include <netcdf.h>

#include "williwaw/store/fields.hpp"

namespace williwaw::store {

class NetcdfFile {
 public:
  NetcdfFile(int id, std::filesystem::path file) : id_(id), file_(std::move(file)) {}
  NetcdfFile(const NetcdfFile&) = delete;
  NetcdfFile& operator=(const NetcdfFile&) = delete;
  /// Closes without a word.
  ~NetcdfFile();

  static std::unique_ptr<NetcdfFile> create(const std::filesystem::path& file);
  static std::unique_ptr<NetcdfFile> open(const std::filesystem::path& file);

  int id() const { return id_; }
  void check(int status) const;
  /// Throws StoreError where the file is not completely written.
  void close();

  int dimension(const std::string& name, std::size_t size) const;
  int variable(const std::string& name, const std::vector<int>& dimensions) const;
  int find(const std::string& name) const;
  bool has(const std::string& name) const;
  void attribute(int variable, const std::string& name, const std::string& value) const;
  void attribute(int variable, const std::string& name, int value) const;
  std::string text(int variable, const std::string& name) const;
  /// Of an attribute that holds one number.
  Real number(int variable, const std::string& name) const;
  void attribute(int variable, const std::string& name, Real value) const;
  /// All values of a variable. Throws StoreError also for counts that such a file cannot hold.
  std::vector<Real> values(int variable) const;
  /// Some of them: from `start`, as many as `count` says along each dimension.
  std::vector<Real> part(int variable, const std::vector<std::size_t>& start,
                         const std::vector<std::size_t>& count) const;
  /// Throws StoreError for counts that such a file cannot hold.
  void expect_to_hold(int variable, const std::vector<std::size_t>& count) const;
  [[noreturn]] void damaged(const std::string& what) const;
  std::vector<std::size_t> shape(int variable) const;
  /// Says that places without a value hold "not a number".
  void missing_value(int variable) const;

 private:
  std::vector<Real> buffer(int variable, const std::vector<std::size_t>& count) const;

  int id_;
  std::filesystem::path file_;
};

}  // namespace williwaw::store
