// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/problem.h"

#include <utility>

namespace bindrel {

std::string Problem::text() const
{
    std::string out;
    if (!file.empty()) {
        out += file;
        if (line > 0) {
            out += ":" + std::to_string(line);
            if (column > 0)
                out += ":" + std::to_string(column);
        }
        out += ": ";
    }
    if (!pointer.empty())
        out += pointer + ": ";
    return out + message;
}

Problem problemOf(std::string message)
{
    Problem problem;
    problem.message = std::move(message);
    return problem;
}

Problem problemInFile(std::string file, int line, std::string message)
{
    Problem problem = problemOf(std::move(message));
    problem.file = std::move(file);
    problem.line = line;
    problem.column = line > 0 ? 1 : 0;
    return problem;
}

} // namespace bindrel
