// Leaks that are not ours. The run-time library of OpenMP that clang brings keeps the memory of its threads
// until the process ends, without a pointer that the checker finds; the library for units keeps a few bytes
// for each text that is no unit.
extern "C" const char* __lsan_default_suppressions();
extern "C" const char* __lsan_default_suppressions() {
  return "leak:libomp\nleak:libudunits2\n";
}
