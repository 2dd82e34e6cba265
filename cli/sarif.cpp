// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/sarif.h"

#include "core/base/say.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel::cli {

namespace {

using Json = nlohmann::ordered_json;

/// A relative path as a URI reference (RFC 3986, 3.3 and 4.2): what is not unreserved is escaped, a slash stands.
std::string uriOf(const std::string& path)
{
    std::string out;
    for (const char c : path) {
        const auto byte = static_cast<unsigned char>(c);
        const bool plain = std::isalnum(byte) || std::string_view("-._~/").find(c) != std::string_view::npos;
        out += plain ? std::string(1, c) : fmt::format("%{:02X}", byte);
    }
    return path.starts_with('/') ? "file://" + out : out;
}

Json resultOf(const Finding& finding, const std::string& planPath)
{
    const auto rule =
        std::find_if(rules().begin(), rules().end(), [&finding](const Rule& one) { return one.id == finding.rule; });
    Json location{{"physicalLocation", {{"artifactLocation", {{"uri", uriOf(planPath)}}}}}};
    if (!finding.place.id.empty()) {
        const std::string name =
            finding.place.sub.empty() ? finding.place.id : finding.place.id + "/" + finding.place.sub;
        location["logicalLocations"] = Json::array({{{"fullyQualifiedName", name}}});
    }
    return {{"ruleId", finding.rule},
            {"ruleIndex", rule - rules().begin()},
            {"level", finding.severity == Finding::Severity::Error ? "error" : "warning"},
            {"message", {{"text", finding.text.text()}}},
            {"locations", Json::array({location})},
            {"properties", {{"sentences", sentencesOf(finding.text)}}}};
}

} // namespace

nlohmann::ordered_json sentencesOf(const Message& message)
{
    Json out = Json::array();
    for (const Message::Sentence& sentence : message.sentences())
        out.push_back({{"pattern", sentence.pattern}, {"arguments", sentence.arguments}});
    return out;
}

nlohmann::ordered_json sarifOf(const std::vector<Finding>& findings, const std::string& planPath)
{
    Json known = Json::array();
    for (const Rule& rule : rules())
        known.push_back({{"id", rule.id}, {"shortDescription", {{"text", rule.about}}}});
    Json results = Json::array();
    for (const Finding& finding : findings)
        results.push_back(resultOf(finding, planPath));
    return {{"version", "2.1.0"},
            {"runs", Json::array({{{"tool", {{"driver", {{"name", "Bindrel"}, {"rules", known}}}}},
                                   {"columnKind", "unicodeCodePoints"},
                                   {"results", results}}})}};
}

} // namespace bindrel::cli
