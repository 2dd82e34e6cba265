// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/layers.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device.h"
#include "core/json/json_document.h"
#include "core/json/json_members.h"
#include "core/makers/makers_file.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <optional>

namespace bindrel {

namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t kMaxLayers = 32;

std::string shortened(const Json& value)
{
    std::string text = value.dump(-1, ' ', false, Json::error_handler_t::replace);
    return text.size() > 80 ? text.substr(0, 77) + "..." : text;
}

bool isList(const Json& value)
{
    return value.is_array() && !value.empty() && std::all_of(value.begin(), value.end(), [](const Json& item) {
               return item.is_object() && item.contains("id") && item["id"].is_string();
           });
}

class Stack {
public:
    Stack() : out_{std::make_shared<PlacedJson>(), {}, {}}
    {
        constexpr std::size_t kSections = 48; // more than the format has
        out_.device->value() = Json::object();
        reserveMembers(out_.device->value(), kSections);
    }

    Layered& out() { return out_; }

    enum class By { Member, Section };

    /// Lays values over what is there.
    Outcome lay(const PlacedJson& layer, const std::vector<std::string>& gives, By by = By::Member)
    {
        Json& root = out_.device->value();
        for (const auto& [key, value] : layer.value().items()) {
            if (!gives.empty() && std::find(gives.begin(), gives.end(), key) == gives.end())
                continue;
            if (key == "layers" || key == "patches" || key == "$schema" || key == "overrides" ||
                (key == "family" && by == By::Section))
                continue;
            const std::string pointer = "/" + pointerWord(key);
            if (const auto known = root.find(key);
                by == By::Section && known != root.end() && !known->is_primitive() && !value.is_null()) {
                replace(*known, pointer, value, layer, pointer);
                continue;
            }
            put(root, "", key, value, layer, pointer);
        }
        const auto overrides = layer.value().find("overrides");
        return overrides == layer.value().end() ? Outcome() : override_(*overrides, layer);
    }

    /// Instances and pads that a null took away, among those that are absent anyway: what names them goes along.
    void finish()
    {
        Json& root = out_.device->value();
        if (takenAway_.empty())
            return;
        if (!root.contains("absent"))
            root["absent"] = Json::array();
        Json& absent = root["absent"];
        if (!absent.is_array())
            return;
        for (const auto& [pointer, name] : takenAway_) {
            absent.push_back(name);
            out_.device->adoptOne(*out_.device, pointer, "/absent/" + std::to_string(absent.size() - 1));
        }
    }

    void patch(const Json& patch, const PlacedJson& from, const std::string& pointer)
    {
        const std::string at = patch.value("at", "");
        Json::json_pointer where;
        try {
            where = Json::json_pointer(at);
        } catch (const Json::exception&) {
            remark(from, pointer, say("\"{}\" is not a JSON pointer.", printable(at.substr(0, 80))));
            return;
        }
        Json& root = out_.device->value();
        const std::string because = patch.value("because", "");
        const bool there = !at.empty() && root.contains(where);
        if (!there && patch.contains("was")) {
            remark(from, pointer, say("nothing stands at {} any more, so the correction does nothing.", at));
            return;
        }
        if (there && patch.contains("was") && root.at(where) != patch["was"]) {
            remark(from, pointer,
                   say("the layer now says {} at {}, not {}: look whether the correction is still needed. It "
                       "is not applied.",
                       shortened(root.at(where)), at, shortened(patch["was"])));
            return;
        }
        if (there && root.at(where) == patch["is"]) {
            remark(from, pointer,
                   say("the layer says {} at {} already; the correction can go.", shortened(patch["is"]), at));
            return;
        }
        Replaced replaced{at,
                          there ? shortened(root.at(where)) : "nothing",
                          shortened(patch["is"]),
                          out_.device->place(at),
                          from.place(pointer),
                          because};
        try {
            if (patch["is"].is_null()) {
                root.at(where.parent_pointer()).erase(where.back());
            } else {
                if (!there && !at.empty() && !root.contains(where.parent_pointer())) {
                    remark(from, pointer,
                           say("nothing stands at {}, so nothing can be put below it.",
                               where.parent_pointer().to_string()));
                    return;
                }
                root[where] = patch["is"];
            }
        } catch (const Json::exception&) {
            remark(from, pointer, say("nothing can be put at {}.", at));
            return;
        }
        out_.device->adoptOne(from, pointer + "/is", at);
        out_.replaced.push_back(std::move(replaced));
    }

    void remark(const PlacedJson& from, const std::string& pointer, std::string message)
    {
        Problem problem = problemOf(std::move(message));
        const TextPlace at = from.place(pointer);
        problem.file = at.file;
        problem.line = at.line;
        problem.column = at.column;
        out_.remarks.push_back(std::move(problem));
    }

private:
    void put(Json& into, const std::string& above, const std::string& key, const Json& value, const PlacedJson& layer,
             const std::string& pointerThere)
    {
        const std::string pointer = above + "/" + pointerWord(key);
        const auto known = into.find(key);
        if (known == into.end()) {
            if (value.is_null())
                return; // takes away what is not there: no harm
            into[key] = withoutNulls(value);
            out_.device->adopt(layer, pointerThere, pointer);
            return;
        }
        const auto gone = std::find_if(takenAway_.begin(), takenAway_.end(),
                                       [&](const auto& taken) { return taken.first == pointer; });
        if (value.is_null()) {
            if (gone != takenAway_.end())
                return;
            out_.replaced.push_back(
                {pointer, shortened(*known), "nothing", out_.device->place(pointer), layer.place(pointerThere), {}});
            if (above == "/instances" || above == "/pads") {
                takenAway_.emplace_back(pointer, key);
                return;
            }
            into.erase(key);
            return;
        }
        if (gone != takenAway_.end()) {
            // Taken away below, described anew here.
            takenAway_.erase(gone);
            replace(*known, pointer, value, layer, pointerThere);
            return;
        }
        // A register of which a maker's file tells no fields has one for all of it, until somebody describes them.
        const bool wholeOnly = key == "fields" && known->is_object() && known->size() == 1 &&
                               known->contains("VALUE") && value.is_object() && !value.empty() &&
                               !value.contains("VALUE");
        if (known->is_object() && value.is_object() && !wholeOnly) {
            for (const auto& [name, below] : value.items())
                put(*known, pointer, name, below, layer, pointerThere + "/" + pointerWord(name));
            return;
        }
        if (isList(*known) && isList(value)) {
            for (std::size_t i = 0; i < value.size(); ++i)
                putItem(*known, pointer, value[i], layer, pointerThere + "/" + std::to_string(i));
            return;
        }
        replace(*known, pointer, value, layer, pointerThere);
    }

    void replace(Json& known, const std::string& pointer, const Json& value, const PlacedJson& layer,
                 const std::string& pointerThere)
    {
        if (known != value)
            out_.replaced.push_back({pointer,
                                     shortened(known),
                                     shortened(value),
                                     out_.device->place(pointer),
                                     layer.place(pointerThere),
                                     {}});
        if (!known.is_primitive())
            out_.device->forgetBelow(pointer);
        known = withoutNulls(value);
        out_.device->adopt(layer, pointerThere, pointer);
    }

    /// "overrides": abilities and roles of blocks that are described below, each as a whole.
    Outcome override_(const Json& overrides, const PlacedJson& layer)
    {
        const auto refused = [&](const std::string& pointer, std::string message) {
            Problem problem = problemOf(std::move(message));
            const TextPlace at = layer.place(pointer);
            problem.file = at.file;
            problem.pointer = pointer;
            problem.line = at.line;
            problem.column = at.column;
            return problem;
        };
        const auto onlyKeys = [&](const Json& object, const std::string& pointer,
                                  const std::vector<std::string>& known) -> std::optional<Problem> {
            if (!object.is_object())
                return refused(pointer, say("must be an object."));
            for (const auto& [key, value] : object.items())
                if (std::find(known.begin(), known.end(), key) == known.end())
                    return refused(pointer + "/" + pointerWord(key),
                                   say("the key \"{}\" is not known here; {} is.{}", printable(key), listed(known),
                                       didYouMean(key, known)));
            return std::nullopt;
        };
        if (const std::optional<Problem> problem = onlyKeys(overrides, "/overrides", {"blocks"}))
            return *problem;
        const auto given = overrides.find("blocks");
        if (given == overrides.end())
            return {};
        if (!given->is_object())
            return refused("/overrides/blocks", say("must be an object."));
        Json& root = out_.device->value();
        for (const auto& [name, words] : given->items()) {
            const std::string there = "/overrides/blocks/" + pointerWord(name), here = "/blocks/" + pointerWord(name);
            if (!root.contains("blocks") || !root["blocks"].is_object() || !root["blocks"].contains(name))
                return refused(there, say("\"{}\" is not a block of this device.", printable(name)));
            if (const std::optional<Problem> problem = onlyKeys(words, there, {"abilities", "roles"}))
                return *problem;
            Json& block = root["blocks"][name];
            if (!block.is_object())
                continue; // its own reader tells
            for (const auto& [key, values] : words.items()) {
                if (!values.is_object())
                    return refused(there + "/" + key, say("must be an object."));
                if (!block.contains(key))
                    block[key] = Json::object();
                if (!block[key].is_object())
                    continue;
                for (const auto& [word, value] : values.items()) {
                    const std::string from = fmt::format("{}/{}/{}", there, key, pointerWord(word)),
                                      to = fmt::format("{}/{}/{}", here, key, pointerWord(word));
                    if (const auto known = block[key].find(word); known != block[key].end() && !value.is_null())
                        replace(*known, to, value, layer, from);
                    else
                        put(block[key], here + "/" + key, word, value, layer, from);
                }
            }
        }
        return {};
    }

    void putItem(Json& list, const std::string& above, const Json& item, const PlacedJson& layer,
                 const std::string& pointerThere)
    {
        for (std::size_t n = 0; n < list.size(); ++n)
            if (list[n]["id"] == item["id"]) {
                for (const auto& [name, below] : item.items())
                    put(list[n], above + "/" + std::to_string(n), name, below, layer,
                        pointerThere + "/" + pointerWord(name));
                return;
            }
        list.push_back(withoutNulls(item));
        out_.device->adopt(layer, pointerThere, above + "/" + std::to_string(list.size() - 1));
    }

    static Json withoutNulls(const Json& value)
    {
        if (!value.is_object())
            return value;
        Json out = Json::object();
        reserveMembers(out, value.size());
        for (const auto& [key, below] : value.items())
            if (!below.is_null())
                appendMember(out, key, withoutNulls(below));
        return out;
    }

    Layered out_;
    std::vector<std::pair<std::string, std::string>> takenAway_; ///< pointer and name of instances and pads
};

/// The family that a device file names, where it has no layers: the name of a file beside it.
Expected<std::vector<LayerRequest>> familyOf(const std::string& text, const std::string& file, bool isLayer)
{
    std::vector<LayerRequest> out;
    if (const std::size_t at = text.find("\"family\""); at == std::string::npos)
        return out;
    else if (isLayer) {
        // A family's own file tells its name; its structure, which may be large, need not be read for that.
        const std::size_t open = text.find('"', text.find(':', at)), close = text.find('"', open + 1);
        if (close == std::string::npos || !text.substr(open + 1, close - open - 1).ends_with(".json"))
            return out;
    }
    JsonDocument document(text, file);
    if (!document.ok())
        return document.problem();
    const JsonNode family = document.root().optionalChild("family");
    if (!family.exists())
        return out;
    const std::string name = family.asString();
    if (isLayer && !name.ends_with(".json"))
        return out;
    if (std::filesystem::path(name).filename() != name || name.empty() || !isPrintable(name))
        family.fail(say("\"{}\" must be the name of a file in the same folder.", printable(name)));
    if (!document.ok())
        return document.problem();
    LayerRequest request;
    request.file = name;
    request.family = true;
    out.push_back(std::move(request));
    return out;
}

} // namespace

Expected<std::vector<LayerRequest>> layersOf(const std::string& text, const std::string& file, bool isLayer)
{
    std::vector<LayerRequest> out;
    // Most device files have none: their structure need not be read for that.
    if (text.find("\"layers\"") == std::string::npos)
        return familyOf(text, file, isLayer);
    JsonDocument document(text, file);
    if (!document.ok())
        return document.problem();
    const JsonNode list = document.root().optionalChild("layers");
    if (!list.exists())
        return familyOf(text, file, isLayer);
    for (const JsonNode& row : list.items()) {
        row.allowOnly({"file", "gives", "package", "columns"});
        LayerRequest request;
        request.file = row.string("file");
        request.gives = row.strings("gives");
        request.package = row.string("package", "");
        request.columns = row.string("columns", "");
        for (const auto& [key, named] : {std::pair{"file", &request.file}, {"columns", &request.columns}}) {
            const std::filesystem::path path(*named);
            bool inside = !named->empty() && path.is_relative() && isPrintable(*named);
            for (const std::filesystem::path& part : path)
                inside = inside && part != "..";
            if (!inside && row.has(key))
                row.child(key).fail(
                    say("\"{}\" must name a file in the folder of this one, or below it.", printable(*named)));
        }
        out.push_back(std::move(request));
    }
    if (out.size() > kMaxLayers)
        list.fail(say("lists more than {} files.", kMaxLayers));
    if (!document.ok())
        return document.problem();
    return out;
}

namespace {

/// Corrections of one file, with their places.
struct Corrections {
    Json list;
    PlacedJson from;
};

Expected<PlacedJson> deviceLayer(const std::string& text, const std::string& file)
{
    JsonDocument document(text, file);
    document.refuseHiddenText();
    if (!document.ok())
        return document.problem();
    PlacedJson out;
    const int number = out.addFile(file, std::make_shared<const std::string>(text));
    out.value() = document.value();
    out.putPointer("", number, "");
    if (const std::int64_t format = document.root().integer("format", 0, INT32_MAX, 1); document.ok() && format != 1)
        document.root().child("format").fail(say("this version of Bindrel reads format 1, not {}.", format));
    if (!document.ok())
        return document.problem();
    return out;
}

void collect(const PlacedJson& values, std::vector<Corrections>& out)
{
    if (const auto list = values.value().find("patches"); list != values.value().end()) {
        Corrections one{*list, PlacedJson()};
        one.from.adopt(values, "/patches", "/patches");
        out.push_back(std::move(one));
    }
}

/// A correction has where, what and why; nothing else.
std::optional<Problem> malformed(const Json& patch, const TextPlace& at, const std::string& pointer)
{
    const bool whole = patch.is_object() && patch.contains("at") && patch["at"].is_string() && patch.contains("is") &&
                       patch.contains("because") && patch["because"].is_string() &&
                       !patch["because"].get_ref<const std::string&>().empty();
    if (whole && std::all_of(patch.items().begin(), patch.items().end(), [](const auto& item) {
            return item.key() == "at" || item.key() == "was" || item.key() == "is" || item.key() == "because";
        }))
        return std::nullopt;
    Problem problem =
        problemOf(say("a correction has \"at\" (a JSON pointer), \"is\" (the right value), \"because\" (the reason), "
                      "and may have \"was\" (the wrong value)."));
    problem.file = at.file;
    problem.pointer = pointer;
    problem.line = at.line;
    problem.column = at.column;
    return problem;
}

/// Lays the layers of a device file, then the corrections of each, then the file itself.
Outcome layFile(Stack& stack, const std::string& text, const std::string& file, const std::vector<LayerFile>& layers,
                const std::vector<std::string>& gives, int depth)
{
    const Expected<std::vector<LayerRequest>> requests = layersOf(text, file, depth > 0);
    if (!requests)
        return requests.problem();
    Expected<PlacedJson> own = deviceLayer(text, file);
    if (!own)
        return own.problem();
    std::vector<Corrections> corrections;
    for (const LayerRequest& request : *requests) {
        const auto layer = std::find_if(layers.begin(), layers.end(), [&](const LayerFile& known) {
            return (request.family && known.family) ||
                   known.path == std::filesystem::path(file).parent_path() / request.file;
        });
        // A text that nobody has read from a file has its family's name there.
        if (layer == layers.end() && request.family && depth == 0)
            continue;
        if (layer == layers.end() || depth > 4) {
            Problem problem = problemOf(say("the layer {} was not read.", request.file));
            problem.file = file;
            return problem;
        }
        const std::string name = layer->path.string();
        if (request.columns.empty() && (request.family || formatOf(layer->text, name) == MakersFormat::Device)) {
            if (const Outcome done = layFile(stack, layer->text, name, layers, request.gives, depth + 1); !done)
                return done;
            continue;
        }
        MakersChoice choice;
        choice.package = request.package;
        if (!request.columns.empty()) {
            const std::filesystem::path beside = std::filesystem::path(file).parent_path() / request.columns;
            const auto columns = std::find_if(layers.begin(), layers.end(),
                                              [&](const LayerFile& known) { return known.path == beside; });
            if (columns == layers.end()) {
                Problem problem = problemOf(say("the file {} was not read.", request.columns));
                problem.file = file;
                return problem;
            }
            choice.columns = columns->text;
            choice.columnsName = beside.string();
        }
        // What has columns is a table, whatever its name ends with.
        Expected<MakersFile> read = choice.columnsName.empty() ? readMakersFile(layer->text, name, choice)
                                                               : readPinTable(layer->text, name, choice);
        if (!read)
            return read.problem();
        for (Problem& remark : read->remarks)
            stack.out().remarks.push_back(std::move(remark));
        for (const std::string& section : request.gives)
            if (!read->sections.value().contains(section)) {
                Problem problem = problemOf(say("{} gives no \"{}\".", request.file, printable(section)));
                problem.file = file;
                stack.out().remarks.push_back(std::move(problem));
            }
        collect(read->sections, corrections);
        if (const Outcome laid = stack.lay(read->sections, request.gives); !laid)
            return laid;
    }
    collect(*own, corrections);
    for (const Corrections& some : corrections) {
        if (!some.list.is_array()) {
            Problem problem = problemOf(say("must be a list of corrections."));
            const TextPlace at = some.from.place("/patches");
            problem.file = at.file;
            problem.line = at.line;
            problem.column = at.column;
            return problem;
        }
        for (std::size_t i = 0; i < some.list.size(); ++i) {
            const std::string pointer = "/patches/" + std::to_string(i);
            if (const std::optional<Problem> problem = malformed(some.list[i], some.from.place(pointer), pointer))
                return *problem;
            stack.patch(some.list[i], some.from, pointer);
        }
    }
    const bool member = requests->size() == 1 && requests->front().family && !layers.empty();
    if (const Outcome laid = stack.lay(*own, gives, member ? Stack::By::Section : Stack::By::Member); !laid)
        return laid;
    if (depth == 0)
        stack.out().device->adoptOne(*own, "", ""); // what is missing is missing here
    return {};
}

} // namespace

Expected<Layered> layDown(const std::string& text, const std::string& file, const std::vector<LayerFile>& layers)
{
    Stack stack;
    if (const Outcome done = layFile(stack, text, file, layers, {}, 0); !done)
        return done.problem();
    stack.finish();
    return std::move(stack.out());
}

TextPlace originOf(const Device& device, OriginOf what, const std::string& name)
{
    if (!device.origins || device.origins->values->files().size() < 2)
        return {};
    const PlacedJson& values = *device.origins->values;
    switch (what) {
    case OriginOf::Clock:
        if (const auto clocks = values.value().find("clocks"); clocks != values.value().end() && clocks->is_array())
            for (std::size_t i = 0; i < clocks->size(); ++i)
                if ((*clocks)[i].value("id", "") == name)
                    return values.place("/clocks/" + std::to_string(i));
        return {};
    case OriginOf::Pad:
        return values.place("/pads/" + pointerWord(name));
    case OriginOf::Instance:
        return values.place("/instances/" + pointerWord(name));
    case OriginOf::Register: {
        const std::size_t dot = name.find('.');
        const InstanceIndex instance = device.findInstance(name.substr(0, dot));
        if (instance < 0 || dot == std::string::npos)
            return {};
        const std::string block = "/blocks/" + pointerWord(device.blockOf(instance).name) + "/registers";
        const std::string reg = name.substr(dot + 1);
        // One of several copies stands in the file by its pattern.
        const nlohmann::ordered_json::json_pointer where(block);
        if (values.value().contains(where))
            for (const auto& [pattern, row] : values.value().at(where).items()) {
                const std::size_t at = pattern.find("{n}");
                if (pattern == reg || (at != std::string::npos && reg.size() + 3 > pattern.size() &&
                                       reg.starts_with(pattern.substr(0, at)) && reg.ends_with(pattern.substr(at + 3))))
                    return values.place(block + "/" + pointerWord(pattern));
            }
        return values.place(block);
    }
    }
    return {};
}

std::string deviceTextFor(const std::filesystem::path& makersFile)
{
    std::string name;
    for (const char c : makersFile.stem().string())
        name += (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || c == '-' ||
                        c == '.'
                    ? c
                    : '_';
    Json json;
    json["format"] = 1;
    json["name"] = name.empty() ? "chip" : name.substr(0, 48);
    json["layers"] = Json::array({Json{{"file", makersFile.filename().string()}}});
    return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

} // namespace bindrel
