// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/layer_entry.h"

#include "core/base/say.h"
#include "core/device/layers.h"
#include "core/json/json_document.h"
#include "core/json/json_scan.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>

namespace bindrel {

namespace {

/// The offset behind the value that begins at `at`: brackets are counted, texts and comments passed over.
std::size_t endOf(const std::string& text, std::size_t at)
{
    int depth = 0;
    for (std::size_t i = at; i < text.size(); ++i) {
        const char c = text[i];
        if (c == '"') {
            for (++i; i < text.size() && text[i] != '"'; ++i)
                i += text[i] == '\\';
        } else if (text.compare(i, 2, "//") == 0) {
            i = std::min(text.find('\n', i), text.size());
        } else if (text.compare(i, 2, "/*") == 0) {
            i = std::min(text.find("*/", i), text.size() - 2) + 1;
        } else if (c == '[' || c == '{') {
            ++depth;
        } else if ((c == ']' || c == '}') && --depth == 0) {
            return i + 1;
        }
    }
    return text.size();
}

} // namespace

Expected<std::string> withLayer(const std::string& text, const std::string& deviceFile, const std::string& file,
                                const std::string& columns)
{
    const Expected<std::vector<LayerRequest>> layers = layersOf(text, deviceFile);
    if (!layers)
        return layers.problem();
    if (!layers->empty() && layers->front().family)
        return problemOf(say("{} is a member of a family. Name {} in a device file that has the member as a "
                             "layer, or in the family's own layers.",
                             deviceFile, file));
    for (const LayerRequest& layer : *layers)
        if (layer.file == file)
            return layer.columns == columns
                       ? Expected<std::string>(text)
                       : problemOf(
                             say("{} has {} as a layer already, with {}. Change that line.", deviceFile, file,
                                 layer.columns.empty() ? say("no columns") : say("the columns {}", layer.columns)));
    const auto quoted = [](const std::string& word) { return nlohmann::json(word).dump(); };
    const std::string entry = columns.empty()
                                  ? fmt::format("{{ \"file\": {} }}", quoted(file))
                                  : fmt::format("{{ \"file\": {}, \"columns\": {} }}", quoted(file), quoted(columns));
    std::string out = text;
    if (layers->empty()) {
        const std::size_t open = text.find('{');
        if (open == std::string::npos)
            return problemOf(say("{} is no device file.", deviceFile));
        // An empty list, or none.
        if (const JsonScan list = scanJson(text, "/layers", 64); list.found)
            out.insert(endOf(text, *list.found) - 1, " " + entry + " ");
        else
            out.insert(open + 1, say("\n  \"layers\": [\n    {}\n  ],", entry));
    } else {
        const JsonScan last = scanJson(text, "/layers/" + std::to_string(layers->size() - 1), 64);
        if (!last.found)
            return problemOf(say("the layers of {} could not be found.", deviceFile));
        out.insert(endOf(text, *last.found), ",\n    " + entry);
    }
    // What was written must say what was meant.
    const Expected<std::vector<LayerRequest>> now = layersOf(out, deviceFile);
    if (!now || now->size() != layers->size() + 1 || now->back().file != file || now->back().columns != columns)
        return problemOf(say("{} could not be changed; add {} to its layers by hand.", deviceFile, entry));
    return out;
}

} // namespace bindrel
