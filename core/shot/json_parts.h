// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <Eigen/Geometry>
#include <cmath>
#include <nlohmann/json.hpp>
#include <string>

#include "base/error.h"
#include "base/text.h"

namespace va {

/// The entries of an Eigen vector as a JSON array.
template <class V>
nlohmann::json numbers(const V& v) {
    nlohmann::json out = nlohmann::json::array();
    for (Eigen::Index i = 0; i < v.size(); ++i) out.push_back(v(i));
    return out;
}

inline constexpr const char* knownNames[] = {"unknown", "start", "known"};

inline nlohmann::json quaternion(const Eigen::Quaterniond& q) { return {q.w(), q.x(), q.y(), q.z()}; }

inline Eigen::Vector3d vector3(const nlohmann::json& j) {
    return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()};
}
inline Eigen::Quaterniond quaternion(const nlohmann::json& j) {
    const Eigen::Quaterniond q(j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>(),
                               j.at(3).get<double>());
    if (!(q.norm() > 0.9 && q.norm() < 1.1))
        throw InputError(text("a rotation's four numbers have the length %f instead of 1", q.norm()));
    // What we wrote comes back to the last bit; what somebody typed with few digits is made a rotation.
    return std::fabs(q.norm() - 1) < 1e-9 ? q : q.normalized();
}

inline Eigen::Vector2d vector2(const nlohmann::json& j) { return {j.at(0).get<double>(), j.at(1).get<double>()}; }

/// The value of an enum that is written as one of the words. Throws InputError for another word.
template <class E, size_t N>
E named(const nlohmann::json& j, const char* const (&words)[N]) {
    const std::string word = j.get<std::string>();
    for (size_t i = 0; i < N; ++i)
        if (word == words[i]) return E(i);
    throw InputError(text("unknown word \"%s\"", word.c_str()));
}

}  // namespace va
