// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <string>

#include "media/plate_source.h"

namespace va {

/// From now on, openPlate() reads every plate in a process of its own, started from `program` (which has to begin with
/// runPlateReader() where isPlateReader() says so). A decoder that crashes, hangs or eats memory then takes that
/// process with it: the frame counts as damaged, and reading goes on in a new one. Without this call, plates are read
/// in the program's own process. To be called once, at the beginning of main(); an empty name leaves things as they
/// are.
void readPlatesWith(const std::string& program);
/// Whether openPlate() reads in another process: readPlatesWith() or startPlateReaders() was called.
bool platesAreIsolated();

/// A plate read by another process. Throws as openPlate, and InputError where the process can't be started. A request
/// that gives no sign of life for `patience` seconds is ended.
std::unique_ptr<PlateSource> openIsolated(const std::string& spec, const PlateOverrides& overrides, Progress* progress);

/// firstPicture() by a process of its own.
DisplayPicture firstPictureIsolated(const std::string& spec, int stream);

/// Seconds without a sign of life after which a reading process is given up.
inline constexpr int readerPatience = 60;

}  // namespace va
