// Marks functions that are built once for each generation of vector units.
#pragma once

// One portable binary uses the vector units that the machine has. Sanitizers do not get along with the
// resolver that chooses among the clones, and coverage would count the branches of those that never run. This
// is a macro because an attribute cannot be switched otherwise.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(WILLIWAW_NO_CLONES)
#define WILLIWAW_CLONES __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define WILLIWAW_CLONES
#endif

// On what the innermost loops call: what is not inlined would be built for the oldest unit alone. Without
// clones that gains nothing, and instrumented files take minutes more to compile.
#ifdef WILLIWAW_NO_CLONES
#define WILLIWAW_INLINE
#else
#define WILLIWAW_INLINE __attribute__((always_inline))
#endif
