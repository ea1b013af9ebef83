// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/csv.h"

#include <algorithm>
#include <istream>

namespace va::csv {

std::string field(const std::string& content) {
    if (content.find_first_of(",\"\n\r") == std::string::npos) return content;
    std::string out = "\"";
    for (char c : content) out += c == '"' ? "\"\"" : std::string(1, c);
    return out + "\"";
}

bool readRecord(std::istream& in, std::string& record, int& line) {
    record.clear();
    std::string part;
    size_t quotes = 0;
    while (std::getline(in, part)) {
        ++line;
        quotes += size_t(std::count(part.begin(), part.end(), '"'));
        record += part;
        if (quotes % 2 == 0) return true;
        record += '\n';
    }
    return !record.empty();
}

std::vector<std::string> fieldsOf(const std::string& record) {
    std::vector<std::string> out(1);
    bool inQuotes = false;
    for (size_t i = 0; i < record.size(); ++i) {
        const char c = record[i];
        if (inQuotes) {
            if (c != '"') out.back() += c;
            else if (i + 1 < record.size() && record[i + 1] == '"') out.back() += record[++i];
            else inQuotes = false;
        } else if (c == '"') inQuotes = true;
        else if (c == ',') out.emplace_back();
        else if (c != '\r') out.back() += c;
    }
    return out;
}

}  // namespace va::csv
