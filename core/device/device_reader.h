// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/say.h"
#include "core/device/block_kind.h"
#include "core/device/device.h"
#include "core/device/wish.h"
#include "core/json/json_document.h"

#include <fmt/format.h>

#include <map>
#include <set>
#include <string>

namespace bindrel {

struct Part;
/// "terminals" of a part: names, or objects with what is known of them.
void readTerminals(const JsonNode& list, Part& part);
/// Sentences with their strength; only a plan may drop what a board wishes.
Wishes readWishes(const JsonNode& node, bool mayDrop);
/// What a part wants; its terminals are known already.
void readPartNeeds(const JsonNode& list, Part& part);

/// "draws" and "draws_per_mhz", where they are said.
inline void readDraws(const JsonNode& node, Current& draws, Current& perMegahertz)
{
    if (node.has("draws"))
        draws = node.child("draws").asCurrent();
    if (node.has("draws_per_mhz"))
        perMegahertz = node.child("draws_per_mhz").asCurrent();
}

/// Refuse a kind of block, or a word of one, that is not in the vocabulary (core/device/block_kind.h), with the nearest
/// that is.
void checkKind(const JsonNode& node, const std::string& kind);
void checkWord(const JsonNode& node, const std::string& kind, const std::string& word,
               std::vector<WordSpec> BlockKind::*vocabulary, const char* what);

/// Names that become words of C, where capitals and punctuation no longer tell them apart: each may be given once.
class UniqueWords {
public:
    /// Records a problem at the node when the name is not allowed, or would be the same word as one before.
    void add(const std::string& name, const JsonNode& node)
    {
        node.requireName(name);
        std::string word;
        for (const char c : name)
            word +=
                c == '.' || c == '+' || c == '-' ? '_' : static_cast<char>(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c);
        const auto [known, fresh] = words_.emplace(word, name);
        if (!fresh && known->second != name)
            node.fail(say("\"{}\" and \"{}\" would be one name in C; give one of them another.", name, known->second));
    }

private:
    std::map<std::string, std::string> words_;
};

/// Builds a Device from the sections of its files. Private to loading; each section's reading is in a file of its own
/// (read_blocks.cpp, read_instances.cpp, read_clocks.cpp, read_pads.cpp, read_routing.cpp). After the first problem the
/// readers go on with defaults, and the result is thrown away.
class DeviceReader {
public:
    /// The values of the device's files as they lie over each other (core/device/layers.h).
    explicit DeviceReader(JsonDocument& values) : own_(values) {}

    void readAll();
    Device take() { return std::move(device_); }
    bool ok() const { return own_.ok(); }

private:
    JsonNode section(std::string_view key);
    void readIdentity();
    void readCore(const JsonNode& node);
    void readRanges();
    void readTiming();

    // read_blocks.cpp
    void readBlocks();
    Block readBlock(const std::string& name, const JsonNode& node);
    int readWidth(const JsonNode& node, int common);
    void readRegisters(Block& block, const JsonNode& node, int width);
    void readParts(Register& reg, const JsonNode& list);
    void resolveGuards();
    struct GuardNode {
        BlockIndex block;
        RegisterIndex reg;
        JsonNode node;
    };
    std::optional<WriteGuard> readGuard(Block& block, const GuardNode& from, const JsonNode& node);
    void readRoles(Block& block, const JsonNode& node);
    void readBitRoles(Block& block, const std::string& name, const std::string& pattern,
                      const std::optional<Encoding>& encoding, const RoleSpec& spec, const JsonNode& node);
    void readSlicedRoles(Block& block, const std::string& name, const BlockKind* kind, const JsonNode& node);
    void readLaneRoles(Block& block, const JsonNode& node);
    void readInstances();
    void resolveInstances();
    void readFence(Instance& instance, const JsonNode& node);
    void readDma(Instance& instance, const JsonNode& node);

    // read_clocks.cpp
    void readClocks();
    void readSource(ClockNode& node, const JsonNode& from);
    void readClockInputs(ClockNode& node, const JsonNode& from);
    void readFactorsInto(ClockNode& node, const JsonNode& from);
    void readClockControl(ClockNode& node, const JsonNode& from);
    RateLimit readLimit(const JsonNode& node);
    void mirrorLimits();
    void orderClocks();

    // read_combinations.cpp
    void readCombinations();
    std::vector<std::int64_t> clockSettings(ClockIndex clock, const JsonNode& node);

    void readModes(); // read_modes.cpp

    // read_power.cpp
    void readDomains();
    void readRegulator();

    // read_stored.cpp
    void readStored();
    StoredSetting readStoredSetting(const StoredWord& word, const std::string& name, const JsonNode& node);

    void resetClock(ClockNode& node, const JsonNode& from);

    // read_pads.cpp
    void readPads();
    void readElectrical(Pad& pad, const JsonNode& node);
    void readPackage();

    // read_routing.cpp
    void readRouting();
    void readPadRoutes();
    void readSelector(PadIndex pad, const JsonNode& node);
    void readLanes(PadIndex pad, const JsonNode& node);
    void readRemaps(const JsonNode& mechanism);
    void readRemap(const std::string& name, const JsonNode& node, int code);
    void readMatrix(const JsonNode& mechanism);
    void readExclusives();
    void collectMuxFields();
    /// "UART3.TX" as instance and signal; nothing when the device lacks it, and a problem when nobody knows it.
    std::optional<std::pair<InstanceIndex, int>> signalAt(const std::string& dotted, const JsonNode& node);
    int codeOf(const std::string& key, const JsonNode& node);
    int codeOf(const std::string& key, const FieldRef& field, const JsonNode& node);
    int functionOf(const std::string& key, const Pad& pad, const JsonNode& node);
    std::vector<FieldCode> functionCodes(const Pad& pad, int code, const JsonNode& node);
    PadIndex padAt(const std::string& name, const JsonNode& node);
    int groupNamed(const std::string& name);
    void addRoute(Route route);

    bool isAbsent(std::string_view name) const; ///< notes that the name was met
    void checkAbsent();
    FieldRef fieldAt(const JsonNode& node);
    FieldRef fieldNamed(const std::string& dotted, const JsonNode& node);
    /// "CLK.OSC.HFXON" or "CLK.STOP.HFX=0".
    FieldCode fieldCodeAt(const JsonNode& node);
    Tolerance toleranceAt(const JsonNode& node);
    ClockIndex clockAt(const JsonNode& node);
    InstanceIndex instanceAt(const JsonNode& node);

    JsonDocument& own_;
    Device device_;
    std::vector<JsonNode> instanceNodes_;
    std::vector<GuardNode> guardNodes_;
    std::vector<JsonNode> padNodes_;
    mutable std::set<std::string, std::less<>> metAbsent_;
    std::vector<std::string> skippedPads_; ///< of ports that the device lacks
};

/// A field of the block, "CTL.ON", as a role without an encoding yet; told at the node, and no field, when there is
/// none of that name.
Role readRole(const Block& block, const std::string& dotted, const JsonNode& node);

/// "as is", "minus one", "power of two", {"table": [[value, code], …]} or {"piecewise": [{codes, base, step}, …]}.
Encoding readEncoding(const JsonNode& node);

/// "-40 C".
TemperatureRange readTemperatures(const JsonNode& node);

/// "1..16", [1, 2, "2.5"] or one alone, in the order of the file.
std::vector<Rational> readFactors(const JsonNode& node);

/// "7", "7:4": least significant bit and width.
std::pair<int, int> readBits(const JsonNode& node);

} // namespace bindrel
