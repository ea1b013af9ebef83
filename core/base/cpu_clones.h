// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

/// Marks a hot loop to be compiled for plain x86-64 and for processors with AVX2 and FMA; the loader picks at start.
/// Not under the thread sanitizer, which is not ready when the loader picks.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_THREAD__) && \
    !defined(__SANITIZE_ADDRESS__)
#define VA_CPU_CLONES __attribute__((target_clones("arch=x86-64-v3", "default")))
/// The same for a loop whose result must not hang on the machine's rounding: AVX2 without fused multiplication.
#define VA_CPU_CLONES_AS_IS __attribute__((target_clones("avx2", "default")))
/// For a processor with AVX-512 alone: the caller asks __builtin_cpu_supports("x86-64-v4").
#define VA_WIDE_VECTORS __attribute__((target("arch=x86-64-v4")))
#else
#define VA_CPU_CLONES
#define VA_CPU_CLONES_AS_IS
#endif
