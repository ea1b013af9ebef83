// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <iosfwd>
#include <string>
#include <vector>

namespace va::csv {

/// A field as it is written: in quotes where it holds a comma, quotes or a line break (RFC 4180).
std::string field(const std::string& content);

/// One record: a line, or more where a quoted field holds line breaks. False at the end. `line` counts lines.
bool readRecord(std::istream& in, std::string& record, int& line);

/// Fields of a record, without their quotes.
std::vector<std::string> fieldsOf(const std::string& record);

}  // namespace va::csv
