// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/lens_json.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/text.h"

namespace va {

nlohmann::ordered_json lensToJson(const LensModel& lens) {
    nlohmann::ordered_json out{{"model", lensKindName(lens.kind())}};
    const auto names = lensValueNames(lens.kind());
    for (int i = 0; i < lens.count(); ++i) out[names[size_t(i)]] = lens.value(i);
    return out;
}

LensModel lensFromJson(const nlohmann::json& json) {
    if (!json.is_object()) throw InputError(text("a lens is a JSON object with \"model\" and the model's numbers"));
    const std::string model = json.value("model", lensKindName(LensKind::brownConrady));
    int kind = 0;
    while (kind < lensKinds && model != lensKindName(LensKind(kind))) ++kind;
    if (kind == lensKinds) {
        std::string known;
        for (int i = 0; i < lensKinds; ++i) known += std::string(i ? ", " : "") + lensKindName(LensKind(i));
        throw InputError(text("the lens model \"%s\" is not known. Known are: %s.", model.c_str(), known.c_str()));
    }
    LensModel out{LensKind(kind)};
    int numbers = 0;
    for (const auto& [name, value] : json.items()) {
        if (!value.is_number()) continue;
        const double number = value.get<double>();
        if (!std::isfinite(number)) throw InputError(text("the lens's %s is not a finite number", name.c_str()));
        if (out.setValue(currentLensValueName(name), number)) ++numbers;
        else if (number != 0)
            throw InputError(text("a lens of the model \"%s\" has no number \"%s\"", model.c_str(), name.c_str()));
    }
    if (numbers == 0)
        throw InputError(text("no number of the lens model \"%s\" is given, such as %s", model.c_str(),
                              lensValueNames(out.kind()).front()));
    return out;
}

}  // namespace va
