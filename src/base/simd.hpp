/// @file
/// The one place where the instruction set is chosen at run time.
#pragma once

/// Compiles a function for AVX-512, AVX2 and the plain machine; the loader picks the best the processor has.
/// On other architectures and compilers there is one portable version. Results are the same to the bit on
/// one instruction set; between sets they differ by rounding, because fused multiply-adds are used where the
/// machine has them.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_THREAD__)
#define BARELATTICE_DISPATCH __attribute__((target_clones("arch=x86-64-v4", "arch=x86-64-v3", "default")))
#else
#define BARELATTICE_DISPATCH
#endif

#define BARELATTICE_INLINE [[gnu::always_inline]] inline
