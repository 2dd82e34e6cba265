// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/comparison.h"
#include "core/describe/coverage.h"
#include "core/describe/proposals.h"
#include "core/describe/trade_words.h"
#include "core/device/load_device.h"
#include "tests/support/makers_writers.h"
#include "tests/support/naming_styles.h"

using namespace bindrel;
using namespace bindrel::test;

/// How far a chip is described, and what its blocks and fields seem to mean.
class DescribeTest : public QObject {
    Q_OBJECT

    static Device read(const Json& json)
    {
        Expected<Device> device = parseDevice(json.dump(), "chip.json", {}, {});
        if (!device)
            qFatal("%s", device.problem().text().c_str());
        return *std::move(device);
    }

    struct Found {
        int wanted = 0, proposed = 0, right = 0;
        std::string wrong;
    };
    /// What is proposed for the shipped families with their roles taken away and their fields named anew. `nameOf`
    /// gives the name of a field from its block, the first role that it has ("" for none) and its name.
    template <typename NameOf> static Found foundAgain(NameOf nameOf)
    {
        Found out;
        for (const auto& [folder, member] : {std::pair{"sedge", "se4332-c64.json"},
                                             {"moss", "ms0816-a48.json"},
                                             {"rill", "rl1224-q48.json"},
                                             {"alder", "al7654-f144.json"}}) {
            std::map<std::pair<std::string, std::string>, std::set<std::string>> truth;
            Device device = read(wholeDevice(folder, member));
            for (Block& block : device.blocks) {
                std::map<std::pair<int, int>, std::string> roleOf;
                for (const auto& [name, role] : block.roles)
                    roleOf.emplace(std::pair{int(role.reg), int(role.field)}, name);
                for (const RegisterIndex r : block.registers.indices()) {
                    std::set<std::string> names;
                    for (const FieldIndex f : block.registers[r].fields.indices()) {
                        Field& field = block.registers[r].fields[f];
                        field.name = nameOf(block, roleOf[{int(r), int(f)}], field.name);
                        while (!names.insert(field.name).second)
                            field.name += "X";
                    }
                }
                if (block.kind.empty())
                    continue;
                for (const auto& [name, role] : block.roles) {
                    const Register& reg = block.registers[role.reg];
                    truth[{block.name, name}].insert(reg.name + "." + reg.fields[role.field].name);
                }
                block.roles.clear();
            }
            out.wanted += int(truth.size());
            for (const Proposal& proposal : proposalsFor(device)) {
                if (!proposal.fact.starts_with("role ") || proposal.confidence < kLeastConfidence)
                    continue;
                const std::vector<std::string> words = splitted(proposal.fact.substr(0, proposal.fact.find(':')), ' ');
                const auto known = truth.find({words[1], words[2]});
                ++out.proposed;
                if (known != truth.end() && known->second.contains(words[4]))
                    ++out.right;
                else
                    out.wrong +=
                        fmt::format("{:.2f} {} ({}): {}\n", proposal.confidence, proposal.fact,
                                    known == truth.end() ? "no such role" : *known->second.begin(), proposal.reason);
            }
        }
        return out;
    }

private Q_SLOTS:
    void shippedChipsAreDescribedInFull()
    {
        for (const auto& device : library().devices())
            for (const InstanceCoverage& instance : coverageOf(*device)) {
                if (instance.kind.empty())
                    continue; // clocks, supplies: of no kind that a need asks for
                QVERIFY2(
                    instance.level == CoverageLevel::Written || instance.next.find("pads") != std::string::npos,
                    (device->instances[instance.instance].name + " of " + device->name + ": " + instance.next).c_str());
            }
    }

    void everyStepIsNamed()
    {
        Json chip = wholeDevice("sedge", "se4332-c64.json");
        const auto levelOf = [](const Device& device) {
            for (const InstanceCoverage& row : coverageOf(device))
                if (device.instances[row.instance].name == "UART1")
                    return row;
            return InstanceCoverage{};
        };
        QVERIFY(levelOf(read(chip)).level == CoverageLevel::Written);
        Json roles = chip;
        roles["blocks"][chip["instances"]["UART1"]["block"].get<std::string>()]["roles"].erase("data");
        const InstanceCoverage computed = levelOf(read(roles));
        QVERIFY2(computed.level == CoverageLevel::Placed && computed.next.find("data") != std::string::npos,
                 computed.next.c_str());
        Json memory = chip;
        memory.erase("memory");
        QVERIFY(levelOf(read(memory)).level == CoverageLevel::Computed);
    }

    void wordsOfNames()
    {
        QVERIFY((wordsOf("TxEnable2") == std::vector<std::string>{"tx", "enable", "2"}));
        QVERIFY((wordsOf("BAUD_DIV") == std::vector<std::string>{"baud", "div"}));
        QVERIFY((wordsOf("ADCDone") == std::vector<std::string>{"adc", "done"}));
        QVERIFY(standsFor("tx", "transmit") > 0.9 && standsFor("presc", "prescaler") > 0.5 &&
                standsFor("gate", "transmit") == 0);
    }

    /// Roles taken away from the shipped families, and their fields named as other data sheets would: what is proposed
    /// is right, or it is not proposed.
    void proposalsAreRight_data()
    {
        QTest::addColumn<int>("style");
        QTest::newRow("as they are") << 0;
        QTest::newRow("with the block in front") << 1;
        QTest::newRow("small letters") << 2;
        QTest::newRow("without vowels") << 3;
        QTest::newRow("four letters") << 4;
    }
    void proposalsAreRight()
    {
        QFETCH(int, style);
        const auto renamed = [style](const std::string& block, const std::string& name) {
            const auto shortened = [&name](auto keep) {
                std::string out;
                for (size_t i = 0; i < name.size(); ++i)
                    if (keep(i, name[i]))
                        out += name[i];
                return out;
            };
            switch (style) {
            case 1:
                return uppered(block) + "_" + name;
            case 2:
                return lowered(name);
            case 3:
                return shortened([](size_t i, char c) {
                    return i == 0 || std::string_view("AEIOU").find(c) == std::string_view::npos;
                });
            case 4:
                return shortened([](size_t i, char c) { return i < 4 || (c >= '0' && c <= '9'); });
            default:
                return name;
            }
        };
        const Found found = foundAgain(
            [&](const Block& block, const std::string&, const std::string& name) { return renamed(block.name, name); });
        QVERIFY2(found.proposed > 0 && found.right * 100 >= found.proposed * 98, found.wrong.c_str());
    }

    /// The same with fields that are named by what they do, in the styles that data sheets have: most are found.
    void fieldsNamedByUseAreFound_data()
    {
        QTest::addColumn<int>("style");
        QTest::newRow("words") << int(NamingStyle::Words);
        QTest::newRow("other words") << int(NamingStyle::OtherWords);
        QTest::newRow("glued") << int(NamingStyle::Glued);
        QTest::newRow("block in front") << int(NamingStyle::BlockInFront);
        QTest::newRow("abbreviated") << int(NamingStyle::Abbreviated);
    }
    void fieldsNamedByUseAreFound()
    {
        QFETCH(int, style);
        const Found found = foundAgain([&](const Block& block, const std::string& role, const std::string& name) {
            return role.empty() ? name : fieldNameOf(NamingStyle(style), block.name, role);
        });
        QVERIFY2(found.right * 100 >= found.proposed * 98, found.wrong.c_str());
        QVERIFY2(found.right * 100 >= found.wanted * 75, fmt::format("{} of {}", found.right, found.wanted).c_str());
    }

    void kindsByName()
    {
        const Json chip = Json::parse(R"({ "name": "M", "blocks": {
            "say": { "about": "Asynchronous receiver and transmitter.", "registers": { "A": { "fields": { "X": "0" } } } },
            "spi": { "about": "Serial peripheral interface.", "registers": { "A": { "fields": { "X": "0" } } } },
            "thing": { "about": "Mixes paint.", "registers": { "A": { "fields": { "X": "0" } } } } } })");
        const Device device = read(chip);
        std::set<std::string> facts;
        for (const Proposal& proposal : proposalsFor(device))
            facts.insert(proposal.fact);
        QVERIFY(facts.contains("kind say = uart") && facts.contains("kind spi = spi"));
        for (const std::string& fact : facts)
            QVERIFY2(fact.find("thing") == std::string::npos, fact.c_str());
    }

    void editionsAreCompared()
    {
        const auto layered = [](const std::string& text) { return layDown(text, "x.json", {})->device; };
        const auto a = layered(
            R"({ "name": "A", "blocks": { "x": { "registers": { "R": { "offset": "0x0" }, "S": {} } } }, "clocks": [ { "id": "C", "rate": "1 MHz" } ] })");
        const auto b = layered(
            R"({ "name": "A", "blocks": { "x": { "registers": { "R": { "offset": "0x4" }, "T": {} } } }, "clocks": [ { "id": "C", "rate": "1 MHz" }, { "id": "D" } ] })");
        std::vector<std::string> told;
        for (const DescriptionDifference& d : compareDescriptions(*a, *b))
            told.push_back(fmt::format("{} {}", int(d.kind), d.pointer));
        QVERIFY((told == std::vector<std::string>{"2 /blocks/x/registers/R/offset", "0 /blocks/x/registers/S",
                                                  "1 /blocks/x/registers/T", "1 /clocks/D"}));
    }
};

BINDREL_TEST(DescribeTest)
#include "describe_test.moc"
