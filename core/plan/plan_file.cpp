// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan_file.h"

#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device_reader.h"
#include "core/device/net_resistors.h"
#include "core/json/json_document.h"
#include "core/plan/board_entry.h"
#include "core/plan/board_facts.h"
#include "core/plan/clock_decision.h"
#include "core/plan/crystal_text.h"
#include "core/plan/fences.h"
#include "core/plan/kind.h"
#include "core/plan/memory_size.h"
#include "core/plan/pin_property.h"
#include "core/plan/plain_fields.h"
#include "core/plan/stored_settings.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// Letters, digits and hyphens in lower case, at most 64.
bool isId(std::string_view id)
{
    return !id.empty() && id.size() <= 64 && std::all_of(id.begin(), id.end(), [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '-';
    });
}

/// Reads the needs and holds of a plan against its device and board.
class PlanReader {
public:
    /// With `lost`, names that the device does not know are noted there instead of being problems.
    PlanReader(const Device& device, const Board& board, Plan& plan, std::vector<std::string>* lost)
        : device_(device), board_(board), plan_(plan), lost_(lost)
    {
    }

    void readClocks(const JsonNode& node, ClockSet& into)
    {
        std::vector<std::string> ids;
        for (const ClockNode& clock : device_.clocks)
            ids.push_back(clock.id);
        for (const auto& [id, value] : node.members()) {
            const ClockIndex clock = device_.findClock(id);
            if (clock < 0) {
                if (lose(say("clock {} no longer exists; its setting is dropped", id)))
                    continue;
                value.fail(say("\"{}\" is not a clock of {}.{}", id, device_.name, didYouMean(id, ids)));
                return;
            }
            const std::string text =
                value.isNumber() ? std::to_string(value.asInteger(0, INT32_MAX)) : value.asString();
            const Expected<ClockDecision> decision = readClockDecision(device_, clock, text);
            if (!decision) {
                if (!lose(say("{} can no longer be {}; it keeps its reset value", id, text)))
                    value.fail(decision.problem().message);
            } else if (*decision != ClockDecision(RunDecision())) {
                into.clocks[id] = *decision;
            }
        }
    }

    void readRange(const JsonNode& parent, std::string& into)
    {
        into = parent.string("range", "");
        if (into.empty() || device_.findRange(into) >= 0)
            return;
        std::vector<std::string> ids;
        for (const OperatingRange& range : device_.ranges)
            ids.push_back(range.id);
        if (!lose(say("operating range {} no longer exists; the reset default is used", into)))
            parent.child("range").fail(
                say("\"{}\" is not an operating range of {}; use {}.", into, device_.name, listed(ids)));
        into.clear();
    }

    void readClockSets(const JsonNode& root)
    {
        ClockSet own;
        readRange(root, own.range);
        readClocks(root.optionalChild("clocks"), own);
        plan_.range = std::move(own.range);
        plan_.clocks = std::move(own.clocks);
        if (const JsonNode slow = root.optionalChild("slow_clocks"); slow.exists()) {
            slow.allowOnly({"range", "clocks"});
            plan_.slow.emplace();
            readRange(slow, plan_.slow->range);
            readClocks(slow.optionalChild("clocks"), *plan_.slow);
        }
        if (const JsonNode policy = root.optionalChild("on_failure"); policy.exists()) {
            const std::string text = policy.asString();
            if (const std::optional<OnFailure> known = onFailureOf(text))
                plan_.onFailure = *known;
            else
                policy.fail(say("\"{}\" is not an action for a clock that fails to start; use \"stop\", \"go "
                                "on\" or \"fall back\".",
                                text));
        }
    }

    void readRegulator(const JsonNode& root)
    {
        plan_.regulator = root.string("regulator", "");
        std::vector<std::string> ids;
        for (const Regulator& regulator : device_.regulators)
            ids.push_back(regulator.id);
        if (plan_.regulator.empty() || std::find(ids.begin(), ids.end(), plan_.regulator) != ids.end())
            return;
        if (!lose(say("the regulator {} no longer exists", plan_.regulator)))
            root.child("regulator")
                .fail(say("\"{}\" is not a regulator of {}; {}.{}", plan_.regulator, device_.name,
                          ids.empty() ? say("it has only one") : say("use ") + listed(ids),
                          didYouMean(plan_.regulator, ids)));
        plan_.regulator.clear();
    }

    void readStored(const JsonNode& node)
    {
        for (const auto& [id, value] : node.members()) {
            const std::string text = value.asString();
            if (const Expected<std::uint32_t> code = storedCode(device_, id, text); code)
                plan_.stored[id] = text;
            else if (!lose(say("the non-volatile setting {} or its value {} no longer exists", id, text)))
                value.fail(code.problem().message);
        }
    }

    void readModes(const JsonNode& list)
    {
        for (const JsonNode& row : list.items()) {
            const std::string id = row.asString();
            if (device_.findMode(id) >= 0) {
                plan_.modes.insert(id);
                continue;
            }
            std::vector<std::string> ids;
            for (const LowPowerMode& mode : device_.modes)
                ids.push_back(mode.id);
            if (!lose(say("the low-power mode {} no longer exists", id)))
                row.fail(say("\"{}\" is not a low-power mode of {}; {}.", id, device_.name,
                             ids.empty() ? say("it has none") : say("use ") + listed(ids)));
        }
    }

    void readNeed(const JsonNode& node)
    {
        node.allowOnly({"id", "part", "title", "kind", "goals", "terminals", "pins", "overrides", "core", "open_to",
                        "leave_out", "instance", "pads", "via", "dma"});
        Need need;
        need.id = node.string("id");
        if (!isId(need.id))
            node.child("id").fail(
                say("\"{}\" is not an id; use lower-case letters, digits and hyphens, at most 64.", need.id));
        if (plan_.need(need.id))
            node.child("id").fail(say("two needs have the id \"{}\".", need.id));
        need.title = node.string("title", need.id);
        need.kind = node.string("kind");
        need.part = node.string("part", "");
        need.core = node.string("core", "");
        if (!need.core.empty() && device_.findCore(need.core) < 0) {
            std::vector<std::string> names;
            for (const Core& core : device_.cores)
                names.push_back(core.id);
            node.child("core").fail(
                say("\"{}\" is not a core of {}; it has {}.", need.core, device_.name, listed(names)));
        }
        need.leftOut = node.boolean("leave_out", false);
        need.openTo = node.string("open_to", "");
        if (const Expected<std::string> known = checkOpenTo(device_, need.openTo);
            !known && !lose(say("{}: {} no longer exists; access is as after reset", need.title, need.openTo)))
            node.child("open_to").fail(known.problem().message);
        else if (!known)
            need.openTo.clear();
        const KindSpec* kind = findKind(need.kind);
        if (!kind) {
            std::vector<std::string> names;
            for (const KindSpec& known : kinds())
                names.push_back(known.id);
            node.child("kind").fail(
                say("\"{}\" is not a kind of need; use {}.{}", need.kind, listed(names), didYouMean(need.kind, names)));
            return;
        }
        if (!need.part.empty() && !board_.part(need.part)) {
            std::vector<std::string> names;
            for (const Part& part : board_.parts)
                names.push_back(part.id);
            node.child("part").fail(
                say("\"{}\" is not a part of {}.{}", need.part, board_.title, didYouMean(need.part, names)));
        }
        readGoals(need, *kind, node.optionalChild("goals"));
        readTerminals(need, node.optionalChild("terminals"));
        readPins(need, *kind, node.optionalChild("pins"));
        readOverrides(need, node.optionalChild("overrides"));
        readBinding(need, *kind, node);
        plan_.needs.push_back(std::move(need));
    }

    void readNets(const JsonNode& node)
    {
        std::vector<std::string> names;
        for (const Pad& pad : device_.pads)
            names.push_back(pad.name);
        for (const auto& [pad, value] : node.members()) {
            const std::string net = value.asString();
            if (device_.findPad(pad) < 0) {
                if (!lose(say("pad {} no longer exists; its net {} is dropped", pad, net)))
                    value.fail(say("\"{}\" is not a pad of {}.{}", pad, device_.name, didYouMean(pad, names)));
                continue;
            }
            if (!net.empty())
                if (const Expected<std::string> checked = checkPinProperty("net", net); !checked)
                    value.fail(checked.problem().message);
            plan_.nets[pad] = net;
        }
    }

    void readResistors(const JsonNode& node)
    {
        std::vector<std::string> names;
        for (const Pad& pad : device_.pads)
            names.push_back(pad.name);
        for (const auto& [pad, value] : node.members()) {
            const Expected<NetResistors> resistors = resistorsFrom(value.asString());
            if (!resistors)
                value.fail(resistors.problem().message);
            else if (device_.findPad(pad) >= 0)
                plan_.resistors[pad] = *resistors;
            else if (!lose(say("pad {} no longer exists; the resistors at its net are dropped", pad)))
                value.fail(say("\"{}\" is not a pad of {}.{}", pad, device_.name, didYouMean(pad, names)));
        }
    }

    void readCrystals(const JsonNode& node)
    {
        std::vector<std::string> names;
        for (const ClockNode& clock : device_.clocks)
            if (takesCrystal(clock))
                names.push_back(clock.id);
        for (const auto& [id, value] : node.members()) {
            const Expected<FittedCrystal> crystal = parseCrystal(value.asString());
            if (std::find(names.begin(), names.end(), id) == names.end()) {
                if (!lose(say("no crystal or clock can be fitted at {} any more; what the plan says of it is "
                              "dropped",
                              id)))
                    value.fail(say("\"{}\" is not an oscillator of {} that takes a crystal or a clock.{}", id,
                                   device_.name, didYouMean(id, names)));
            } else if (!crystal) {
                value.fail(crystal.problem().message);
            } else {
                plan_.crystals[id] = *crystal;
            }
        }
    }

    void readHolds(const JsonNode& node)
    {
        for (const JsonNode& item : node.items()) {
            const std::string target = item.asString();
            const std::optional<Hold> hold = readHold(target);
            if (hold && holdsSomething(*hold))
                plan_.holds.insert(*hold);
            else if (!lose(say("the hold \"{}\" no longer refers to anything", target)))
                item.fail(
                    say("\"{}\" refers to nothing in this plan; write \"clock ID\", \"need ID\" or \"need ID SIGNAL\".",
                        target));
        }
    }

private:
    bool holdsSomething(const Hold& hold) const
    {
        if (hold.of == Hold::Of::Clock)
            return device_.findClock(hold.id) >= 0;
        const Need* need = plan_.need(hold.id);
        const std::vector<SignalSpec> signals = need ? signalsOf(*need) : std::vector<SignalSpec>();
        return need && (hold.signal.empty() ||
                        std::any_of(signals.begin(), signals.end(),
                                    [&hold](const SignalSpec& signal) { return signal.id == hold.signal; }));
    }

    bool lose(std::string what)
    {
        if (lost_)
            lost_->push_back(std::move(what));
        return lost_ != nullptr;
    }

    void readGoals(Need& need, const KindSpec& kind, const JsonNode& node)
    {
        std::vector<std::string> names;
        for (const GoalSpec& goal : kind.goals)
            names.push_back(goal.id);
        for (const auto& [id, value] : node.members()) {
            const GoalSpec* goal = kind.goal(id);
            if (!goal) {
                value.fail(say("\"{}\" is not a goal of a {} need.{}", id, say(kind.title), didYouMean(id, names)));
                continue;
            }
            Expected<std::string> text = checkGoal(*goal, value.asString());
            if (text)
                need.goals.state(id, *text);
            else
                value.fail(text.problem().message);
        }
    }

    void readPins(Need& need, const KindSpec& kind, const JsonNode& node)
    {
        const std::vector<SignalSpec> signals = kind.signals(need);
        for (const auto& [signal, said] : node.members()) {
            if (std::none_of(signals.begin(), signals.end(),
                             [&id = signal](const SignalSpec& s) { return s.id == id; }))
                said.fail(say("\"{}\" is not a signal that this {} need takes.", signal, say(kind.title)));
            for (const auto& [property, value] : said.members()) {
                if (isPinGoal(need, property)) {
                    value.fail(say("{} of a {} need is a goal; write it among its goals.", property, say(kind.title)));
                    continue;
                }
                const Expected<std::string> text = checkPinProperty(property, value.asString());
                if (text)
                    need.pins[signal][property] = *text;
                else
                    value.fail(text.problem().message);
            }
        }
    }

    /// Which fields there are depends on the instance, which can be any or none here: a finding tells.
    void readOverrides(Need& need, const JsonNode& node)
    {
        for (const auto& [field, value] : node.members()) {
            const std::string text =
                value.isNumber() ? std::to_string(value.asInteger(0, UINT32_MAX)) : value.asString();
            if (const Outcome readable = checkPlainField(field, text); !readable)
                value.fail(readable.problem().message);
            need.overrides[field] = text;
        }
    }

    void readTerminals(Need& need, const JsonNode& node)
    {
        const Part* part = board_.part(need.part);
        for (const auto& [signal, value] : node.members()) {
            const std::string terminal = value.asString();
            if (part && std::find(part->terminals.begin(), part->terminals.end(), terminal) == part->terminals.end())
                value.fail(say("\"{}\" is not a terminal of {}.{}", terminal, part->title,
                               didYouMean(terminal, part->terminals)));
            need.terminals[signal] = terminal;
        }
    }

    void readBinding(Need& need, const KindSpec& kind, const JsonNode& node)
    {
        need.binding.instance = node.string("instance", "");
        const InstanceIndex instance = device_.findInstance(need.binding.instance);
        const bool unfit =
            !need.binding.instance.empty() && (instance < 0 || !kind.servedBy(device_.blockOf(instance).kind));
        if (unfit && lose(say("{}: {} no longer exists or serves something else; the need is unbound", need.title,
                              need.binding.instance))) {
            need.binding = {};
            return;
        }
        if (!need.binding.instance.empty() && instance < 0) {
            std::vector<std::string> names;
            for (const Instance& known : device_.instances)
                names.push_back(known.name);
            node.child("instance")
                .fail(say("\"{}\" is not an instance of {}.{}", need.binding.instance, device_.name,
                          didYouMean(need.binding.instance, names)));
        } else if (!need.binding.instance.empty() && !kind.servedBy(device_.blockOf(instance).kind)) {
            node.child("instance").fail(say("{} cannot serve a {} need.", need.binding.instance, say(kind.title)));
        }
        const std::vector<SignalSpec> signals = kind.signals(need);
        std::vector<std::string> padNames;
        for (const Pad& pad : device_.pads)
            padNames.push_back(pad.name);
        for (const auto& [signal, value] : node.optionalChild("pads").members()) {
            const std::string pad = value.asString();
            if (std::none_of(signals.begin(), signals.end(),
                             [&id = signal](const SignalSpec& s) { return s.id == id; }))
                value.fail(say("\"{}\" is not a signal that this {} need takes.", signal, say(kind.title)));
            if (device_.findPad(pad) < 0 &&
                lose(say("{}: pad {} no longer exists; {} is unbound", need.title, pad, signal)))
                continue;
            if (device_.findPad(pad) < 0)
                value.fail(say("\"{}\" is not a pad of {}.{}", pad, device_.name, didYouMean(pad, padNames)));
            need.binding.pads[signal] = pad;
        }
        for (const auto& [signal, value] : node.optionalChild("via").members()) {
            const std::string name = value.asString();
            if (!need.binding.pads.contains(signal)) {
                if (lose(say("{}: {} has no pad for {} to connect to", need.title, signal, name)))
                    continue;
                value.fail(say("\"{}\" has no pad here, so it cannot have a route.", signal));
            }
            std::vector<std::string> names;
            if (instance >= 0)
                for (const InstanceSignal& known : device_.instances[instance].signals)
                    names.push_back(known.name);
            if (std::find(names.begin(), names.end(), name) == names.end()) {
                if (lose(say("{}: {} no longer exists; {} uses the first route to its pad", need.title, name, signal)))
                    continue;
                value.fail(say("\"{}\" is not a signal of {}.{}", name,
                               need.binding.instance.empty() ? say("the instance, which is not chosen")
                                                             : need.binding.instance,
                               didYouMean(name, names)));
            }
            need.binding.via[signal] = name;
        }
        for (const auto& [request, value] : node.optionalChild("dma").members()) {
            const std::vector<std::string> requests = requestsOf(need);
            if (std::find(requests.begin(), requests.end(), request) == requests.end())
                value.fail(say("\"{}\" is not a DMA request that this {} need makes.", request, say(kind.title)));
            need.binding.dma[request] = static_cast<int>(value.asInteger(0, 63));
        }
    }

    const Device& device_;
    const Board& board_;
    Plan& plan_;
    std::vector<std::string>* lost_;
};

Part readOwnPart(const JsonNode& node, const Plan& plan)
{
    node.allowOnly({"id", "title", "about", "reference", "terminals", "row"});
    Part part;
    part.id = node.string("id");
    if (!isId(part.id))
        node.child("id").fail(
            say("\"{}\" is not an id; use lower-case letters, digits and hyphens, at most 64.", part.id));
    if (std::any_of(plan.parts.begin(), plan.parts.end(), [&part](const Part& p) { return p.id == part.id; }))
        node.child("id").fail(say("two parts have the id \"{}\".", part.id));
    part.title = node.string("title", part.id);
    part.about = node.string("about", "");
    part.reference = node.string("reference", "");
    bindrel::readTerminals(node.optionalChild("terminals"), part);
    part.row = node.boolean("row", false);
    return part;
}

} // namespace

Expected<LoadedPlan> parsePlan(std::string text, std::string file, const Library& library)
{
    JsonDocument document(std::move(text), std::move(file));
    if (!document.ok())
        return document.problem();
    const JsonNode root = document.root();
    const std::int64_t version = root.integer("bindrel", 0, INT32_MAX);
    if (document.ok() && version > 1)
        root.child("bindrel").fail(
            say("this plan is of format {}; this version of Bindrel reads up to 1. Use a newer version.", version));
    else if (document.ok() && version < 1)
        root.child("bindrel").fail(say("must be the format's number, 1."));
    root.allowOnly({"bindrel",     "name",        "device",          "device_file", "board",     "supply",
                    "temperature", "range",       "regulator",       "prefix",      "clocks",    "slow_clocks",
                    "on_failure",  "nonvolatile", "low_power_modes", "nets",        "pulls",     "crystals",
                    "resistors",   "wishes",      "outline",         "chip",        "places",    "stack",
                    "heap",        "parts",       "holds",           "needs",       "leave_out", "project"});
    LoadedPlan work;
    Plan& plan = work.plan;
    plan.name = root.string("name");
    plan.device = root.string("device");
    plan.board = root.string("board", "");
    plan.supply = root.string("supply", "");
    plan.temperature = root.string("temperature", "");
    plan.prefix = root.string("prefix", "");
    plan.outline = root.string("outline", "");
    plan.stack = root.string("stack", "");
    plan.heap = root.string("heap", "");
    plan.chipPlace = root.string("chip", "");
    for (const JsonNode& part : root.optionalChild("leave_out").items()) {
        const std::string said = part.asString();
        if (const Outcome known = addLeftOut(said, plan.leftOut, plan.leftOutKinds); !known)
            part.fail(known.problem().message);
    }
    if (const JsonNode project = root.optionalChild("project"); project.exists()) {
        const std::vector<std::string> keys = layoutKeys();
        project.allowOnly(keys);
        for (const LayoutSetting& setting : layoutSettings())
            if (const JsonNode node = project.optionalChild(setting.key); node.exists())
                if (const Outcome set = setting.set(plan.project, node.asString()); !set)
                    node.fail(set.problem().message);
    }
    if (const JsonNode noted = root.optionalChild("device_file"); noted.exists()) {
        noted.allowOnly({"revision", "from"});
        plan.deviceRevision = noted.string("revision");
        plan.deviceOrigin = noted.string("from");
    }
    if (!document.ok())
        return document.problem();

    Expected<std::shared_ptr<const Device>> device = library.device(plan.device);
    if (!device) {
        if (device.problem().file.empty())
            root.child("device").fail(device.problem().message);
        return document.ok() ? device.problem() : document.problem();
    }
    Expected<Board> board = plan.board.empty() ? Expected<Board>(bareBoard(**device)) : library.board(plan.board);
    if (!board) {
        if (board.problem().file.empty())
            root.child("board").fail(board.problem().message);
        return document.ok() ? board.problem() : document.problem();
    }
    work.device = *std::move(device);
    work.provenance = library.provenance(plan.device, plan.board);
    if (!plan.deviceRevision.empty() && plan.deviceRevision != work.device->revision)
        work.deviceChange = LoadedPlan::DeviceChange{plan.deviceRevision, {}};
    work.board = std::make_shared<const Board>(*std::move(board));

    if (!plan.supply.empty())
        if (const Expected<Voltage> supply = parseVoltage(plan.supply); !supply)
            root.child("supply").fail(supply.problem().message);
    if (!plan.temperature.empty())
        if (const Expected<TemperatureRange> range = parseTemperatures(plan.temperature); !range)
            root.child("temperature").fail(range.problem().message);
    for (const auto& [key, said] : {std::pair("stack", &plan.stack), {"heap", &plan.heap}})
        if (const Expected<std::uint32_t> size = parseMemorySize(*said); !said->empty() && !size)
            root.child(key).fail(size.problem().message);
    if (!plan.outline.empty())
        if (const Expected<BoardOutline> outline = parseOutline(plan.outline); !outline)
            root.child("outline").fail(outline.problem().message);
    if (!plan.chipPlace.empty())
        if (const Expected<BoardPlace> place = parsePlace(plan.chipPlace); !place)
            root.child("chip").fail(place.problem().message);
    for (const auto& [part, node] : root.optionalChild("places").members()) {
        const Expected<BoardPlace> place = parsePlace(node.asString());
        if (!place)
            node.fail(place.problem().message);
        else
            plan.places[part] = placeText(*place);
    }
    for (const JsonNode& node : root.optionalChild("parts").items())
        plan.parts.push_back(readOwnPart(node, plan));
    const Board known = boardWithPlan(*work.board, *work.device, plan);
    PlanReader reader(*work.device, known, plan, work.deviceChange ? &work.deviceChange->lost : nullptr);
    reader.readClockSets(root);
    reader.readRegulator(root);
    reader.readStored(root.optionalChild("nonvolatile"));
    reader.readModes(root.optionalChild("low_power_modes"));
    reader.readNets(root.optionalChild("nets"));
    reader.readResistors(root.optionalChild("pulls")); // as it was called before there were others
    reader.readResistors(root.optionalChild("resistors"));
    reader.readCrystals(root.optionalChild("crystals"));
    plan.wishes = readWishes(root.optionalChild("wishes"), true);
    for (const JsonNode& node : root.child("needs").items())
        reader.readNeed(node);
    reader.readHolds(root.optionalChild("holds"));
    if (!document.ok())
        return document.problem();
    return work;
}

Expected<LoadedPlan> loadPlan(const std::filesystem::path& path, const Library& library)
{
    Expected<std::string> text = readFile(path);
    if (!text)
        return text.problem();
    // A device, board or part beside the plan belongs to it.
    std::error_code error;
    const std::filesystem::path folder = std::filesystem::absolute(path, error).parent_path();
    Expected<LoadedPlan> work =
        parsePlan(*text, path.string(), error ? library : library.with(folder, Origin::BesidePlan));
    if (work)
        work->fileText = *std::move(text);
    return work;
}

Outcome savePlan(const Plan& plan, const std::filesystem::path& path)
{
    return writeFileAtomically(path, planText(plan));
}

Expected<bool> savePlanOver(const Plan& plan, const std::filesystem::path& path, const std::string& fileText)
{
    return replaceFile(path, planText(plan), &fileText);
}

Plan stamped(Plan plan, const Device& device, Origin origin)
{
    plan.deviceRevision = device.revision;
    plan.deviceOrigin = nameOf(origin);
    return plan;
}

} // namespace bindrel
