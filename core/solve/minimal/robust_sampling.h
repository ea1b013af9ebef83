// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>
#include <random>
#include <vector>

namespace va {

struct SamplingOptions {
    double threshold = 1;       ///< error up to which a datum agrees with a model; same unit as the errors
    int trials = 500;           ///< at most
    double confidence = 0.999;  ///< stop when a clean sample has been drawn with this probability
    uint64_t seed = 1;
    /// Improve on all that agrees. Off where it is asked whether a few data agree at all: improving makes more of them
    /// do so by chance.
    bool polished = true;
};

template <class Model>
struct SamplingResult {
    bool found = false;
    Model model{};
    std::vector<char> agrees;  ///< one a datum
    int agreeing = 0;
    double cost = 0;  ///< Σ min(error², threshold²)
};

/// Draws minimal samples, makes models from them, keeps the one with the smallest truncated squared error (MSAC, Torr &
/// Zisserman 2000; adaptive stopping as Fischler & Bolles 1981). The draw is seeded: equal input, equal result.
/// `solve(sample, models)` appends the models of a sample of indices; `error2(model, index)` is a squared error.
/// With fewer data than a sample nothing is found.
template <class Model, class Solve, class Error2>
SamplingResult<Model> robustSampling(int data, int sampleSize, const SamplingOptions& options, Solve solve,
                                     Error2 error2) {
    SamplingResult<Model> best;
    if (data < sampleSize) return best;
    std::mt19937_64 random(options.seed);
    const double limit = options.threshold * options.threshold;
    best.cost = limit * data;
    std::vector<int> sample(static_cast<size_t>(sampleSize));
    std::vector<Model> models;
    double needed = options.trials;
    for (int trial = 0; trial < options.trials && trial < needed; ++trial) {
        for (int k = 0; k < sampleSize; ++k) {
            int& pick = sample[size_t(k)];
            do {
                pick = int(random() % uint64_t(data));
            } while (std::find(sample.begin(), sample.begin() + k, pick) != sample.begin() + k);
        }
        models.clear();
        solve(sample, models);
        for (const Model& m : models) {
            double cost = 0;
            int agreeing = 0;
            for (int i = 0; i < data && cost < best.cost; ++i) {
                const double e = error2(m, i);
                if (e < limit) cost += e, ++agreeing;
                else cost += limit;
            }
            if (!(cost < best.cost)) continue;
            best.found = true;
            best.model = m;
            best.cost = cost;
            best.agreeing = agreeing;
            const double clean = std::pow(double(agreeing) / data, sampleSize);
            needed = clean > 1 - 1e-9 ? 1 : std::log(1 - options.confidence) / std::log(1 - clean);
        }
    }
    if (best.found) {
        best.agrees.resize(size_t(data));
        best.agreeing = 0;
        for (int i = 0; i < data; ++i) best.agreeing += best.agrees[size_t(i)] = error2(best.model, i) < limit;
    }
    return best;
}

/// Improves what sampling found: `refine(model, use)` gives the model that fits the data `use` best (or nothing), what
/// agrees is chosen anew, and so on while the truncated squared error falls, a few times at most.
template <class Model, class Refine, class Error2>
void polish(SamplingResult<Model>& r, int data, const SamplingOptions& options, Refine refine, Error2 error2) {
    const double limit = options.threshold * options.threshold;
    for (int round = 0; round < 4 && r.found && options.polished; ++round) {
        std::vector<int> use;
        for (int i = 0; i < data; ++i)
            if (r.agrees[size_t(i)]) use.push_back(i);
        const std::optional<Model> better = refine(r.model, use);
        if (!better) return;
        double cost = 0;
        for (int i = 0; i < data; ++i) cost += std::min(limit, error2(*better, i));
        if (!(cost < r.cost)) return;
        const bool nearly = cost > 0.999 * r.cost;
        r.model = *better;
        r.cost = cost;
        r.agreeing = 0;
        for (int i = 0; i < data; ++i) r.agreeing += r.agrees[size_t(i)] = error2(*better, i) < limit;
        if (nearly) return;
    }
}

}  // namespace va
