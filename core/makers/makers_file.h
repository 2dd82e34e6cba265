// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/json/placed_json.h"

#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// What a chip maker's file says, as sections of a device file (docs/formats/device.md) with the lines that they come
/// from. Nothing is guessed: what cannot be said in a device file is in the remarks, each with its place.
struct MakersFile {
    PlacedJson sections;
    std::vector<Problem> remarks;
};

/// The format of a file, by its content where that is plain, else by the ending of its name.
enum class MakersFormat {
    Registers,    ///< XML: Arm's System View Description, or the memory maps of a component (IEEE 1685)
    BoundaryScan, ///< IEEE 1149.1 BSDL: packages and ports
    Ibis,         ///< the pin list of an I/O buffer model
    PinTable,     ///< of pins, functions, signals, interrupts or DMA requests: text or a workbook
    Facts,        ///< lines of a device description, written by a person
    Device,       ///< JSON: a device file or a part of one
};
MakersFormat formatOf(std::string_view text, std::string_view name);
const char* nameOf(MakersFormat format); ///< "register description (SVD)"

/// Which of several packages a file is asked for; empty: the one that it gives as its default, else its first.
struct MakersChoice {
    std::string package;
    /// Of a table: what its columns and names say (core/tables/columns.h), and the name of that file; empty: there is
    /// none.
    std::string columns, columnsName;
};

/// Reads a file of any of these formats but Device; `name` is for messages.
Expected<MakersFile> readMakersFile(const std::string& text, const std::string& name, const MakersChoice& choice = {});

/// The readers themselves. Each fails with place and reason where the file is not of its format or beyond a limit.
Expected<MakersFile> readRegisterDescription(const std::string& text, const std::string& name);
Expected<MakersFile> readBoundaryScan(const std::string& text, const std::string& name, const MakersChoice& choice);
Expected<MakersFile> readIbis(const std::string& text, const std::string& name);
Expected<MakersFile> readPinTable(const std::string& bytes, const std::string& name, const MakersChoice& choice = {});
Expected<MakersFile> readFacts(const std::string& text, const std::string& name);

/// Names of power pins are the trade's: VDD, VCC, VSS, GND and their kin. Empty: the name does not say.
enum class PowerName { None, Supply, Ground };
PowerName powerOf(std::string_view pin);

/// The "package" and "pads" sections of a list of pins.
struct MakersPin {
    std::string number, name;
    enum class Kind { Pad, Supply, Ground, Dedicated } kind = Kind::Pad;
    int line = 0, column = 0;
};
void putPins(MakersFile& out, int file, const std::string& package, const std::vector<MakersPin>& pins);

/// Letters, digits and underscores, beginning with a letter: what else a name has becomes an underscore, and a remark
/// tells. At most 48 characters.
std::string wordFor(std::string_view name);
/// A description as one line of at most 1000 bytes that can be shown.
std::string sentenceFor(std::string_view text);

} // namespace bindrel
