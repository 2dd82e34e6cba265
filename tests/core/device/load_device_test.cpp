// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

class LoadDeviceTest : public QObject {
    Q_OBJECT

    std::string own_, family_;

    Expected<Device> parse(const std::string& own, const std::string& family) const
    {
        return parseDevice(own, "own.json", family, "family.json");
    }
    /// Loads the family with one piece of text exchanged.
    Expected<Device> withFamily(const char* from, const char* to) const
    {
        return parse(own_, replaced(family_, from, to));
    }

private Q_SLOTS:
    void initTestCase()
    {
        own_ = textOf(dataPath("devices/sedge/se4332-c64.json"));
        family_ = textOf(dataPath("devices/sedge/sedge.json"));
        QVERIFY(!own_.empty() && !family_.empty());
    }

    void shippedDeviceIsWhole()
    {
        const std::shared_ptr<const Device> device = shippedDevice("se4332-c64");
        QCOMPARE(device->package.pins.size(), size_t(64));
        QVERIFY(device->instances.size() >= 20);
        QCOMPARE(device->ranges.size(), size_t(3));
        for (const PadIndex p : device->pads.indices())
            QVERIFY2(!device->pinOf(p).empty(), device->pads[p].name.c_str());
        const std::vector<LintRemark> remarks = lint(*device);
        QVERIFY2(remarks.empty(), remarks.empty() ? "" : remarks[0].text.c_str());
    }

    void clocksStandAsTheRegistersReset()
    {
        const std::shared_ptr<const Device> device = shippedDevice("SE4332-C64");
        QCOMPARE(device->clocks[device->findClock("PLLA.VCO")].resetValue, 10);
        QCOMPARE(device->clocks[device->findClock("PLLA.MAIN")].resetValue, 5);
        QVERIFY(device->clocks[device->findClock("HFI")].onAtReset);
        QVERIFY(!device->clocks[device->findClock("HFX")].onAtReset);
    }

    void saysWhereAndWhat_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("pointer");
        QTest::addColumn<QString>("says");
        QTest::newRow("unknown key") << "\"cpu_clock\""
                                     << "\"cpu_clok\""
                                     << "/cpu_clok"
                                     << "Did you mean \"cpu_clock\"?";
        QTest::newRow("unknown clock") << "\"from\": \"PLLA.SRC\""
                                       << "\"from\": \"PLLA.SCR\""
                                       << "/clocks/6/from"
                                       << "Did you mean \"PLLA.SRC\"?";
        QTest::newRow("unknown field") << "CLK.OSC.HFXON"
                                       << "CLK.OSC.HFXNO"
                                       << "/clocks/3/enable"
                                       << "Did you mean \"CLK.OSC.HFXON\"?";
        QTest::newRow("wrong type") << "\"vectors\": 64"
                                    << "\"vectors\": \"many\""
                                    << "/core/vectors"
                                    << "must be a whole number";
        QTest::newRow("out of range") << "\"vectors\": 64"
                                      << "\"vectors\": 6400"
                                      << "/core/vectors"
                                      << "from 0 to 480";
        QTest::newRow("bad rate") << "\"rate\": \"20 MHz\""
                                  << "\"rate\": \"20 Mhertz\""
                                  << "/clocks/2/rate"
                                  << "48 MHz";
        QTest::newRow("bad bits") << "\"DIV\": { \"bits\": \"19:0\""
                                  << "\"DIV\": { \"bits\": \"0:19\""
                                  << "/blocks/uart/registers/RATE/fields/DIV/bits"
                                  << "from 31 down to 0";
        QTest::newRow("unknown signal") << "\"3\": \"UART4.TX\""
                                        << "\"3\": \"UART4.XT\""
                                        << "/pads/PA2/routes/3"
                                        << "is not a signal";
        QTest::newRow("code too large") << "\"5\": \"TIMER1.CH1\""
                                        << "\"99\": \"TIMER1.CH1\""
                                        << "/pads/PA2/routes/99"
                                        << "does not fit";
        QTest::newRow("factor without a code") << "\"factors\": \"10..120\""
                                               << "\"factors\": \"10..128\""
                                               << "/clocks/7"
                                               << "has no code";
        QTest::newRow("loop") << "\"inputs\": { \"HFI\": 0, \"HFX\": 1"
                              << "\"inputs\": { \"CPU\": 0, \"HFX\": 1"
                              << "/clocks/13"
                              << "list a clock after";
        QTest::newRow("unknown mechanism") << "\"mechanism\": \"selector\""
                                           << "\"mechanism\": \"crossbar\""
                                           << "/routing/0/mechanism"
                                           << "is not a routing mechanism";
        QTest::newRow("min above max") << "\"min\": \"2.5 MHz\", \"max\": \"10 MHz\""
                                       << "\"min\": \"20 MHz\", \"max\": \"10 MHz\""
                                       << "/clocks/6/limit"
                                       << "above its maximum";
        QTest::newRow("newer format") << "\"format\": 1"
                                      << "\"format\": 7"
                                      << "/format"
                                      << "reads format 1";
        QTest::newRow("bits twice") << "\"DIV\": { \"bits\": \"19:0\""
                                    << "\"DIV\": { \"bits\": \"19:4,7:0\""
                                    << "/blocks/uart/registers/RATE/fields/DIV/bits"
                                    << "names a bit twice";
        QTest::newRow("pieces with a count") << "\"TAKEN{n}\": { \"bits\": \"4\""
                                             << "\"TAKEN{n}\": { \"bits\": \"9,4\""
                                             << "/blocks/general_timer/registers/STAT/fields/TAKEN{n}"
                                             << "side by side";
        QTest::newRow("together with nobody")
            << "\"SYS\": \"PLLA.MAIN\", \"PLLA.MAIN\": [\"2.5\", \"3.5\"], \"BUS2\": 1"
            << "\"SYS\": \"PLLA.MAIN\""
            << "/never_together/0/clocks"
            << "at least two clocks";
        QTest::newRow("together with what is no input") << "\"SYS\": \"PLLA.MAIN\", \"PLLA.MAIN\""
                                                        << "\"SYS\": \"PLLA.MIAN\", \"PLLA.MAIN\""
                                                        << "/never_together/0/clocks/SYS"
                                                        << "Did you mean \"PLLA.MAIN\"?";
        QTest::newRow("together with what is no factor") << "\"BUS2\": 1 }"
                                                         << "\"BUS2\": 9 }"
                                                         << "/never_together/0/clocks/BUS2"
                                                         << "9 is no factor of BUS2";
        QTest::newRow("a stored setting beyond its word") << "\"LEVEL\": { \"bits\": \"27:24\""
                                                          << "\"LEVEL\": { \"bits\": \"34:24\""
                                                          << "/nonvolatile/0/settings/LEVEL/bits"
                                                          << "names no bits";
        QTest::newRow("stored settings that overlap") << "\"LEVEL\": { \"bits\": \"27:24\""
                                                      << "\"LEVEL\": { \"bits\": \"16:13\""
                                                      << "/nonvolatile/0/settings/LEVEL/bits"
                                                      << "overlaps another";
        QTest::newRow("a stored word out of line") << "\"address\": \"0x0018 3400\""
                                                   << "\"address\": \"0x0018 3402\""
                                                   << "/nonvolatile/0"
                                                   << "multiple of 4";
        QTest::newRow("a stored value that is none") << "\"holds_below\": { \"1.7 V\""
                                                     << "\"holds_below\": { \"1.6 V\""
                                                     << "/nonvolatile/0/settings/LEVEL/holds_below/1.6 V"
                                                     << "is not a value of LEVEL";
        QTest::newRow("a stored setting that decides nothing") << "\"WDG.CTL.ON\": \"same\""
                                                               << "\"WDG.CTL.NO\": \"same\""
                                                               << "/nonvolatile/0/settings/DOG/decides/WDG.CTL.NO"
                                                               << "Did you mean \"WDG.CTL.ON\"?";
        QTest::newRow("a mode that drops nothing") << "\"id\": \"STOP\", "
                                                   << "\"id\": \"STOP\", \"drops\": [\"ALL\"], "
                                                   << "/modes/1/drops/0"
                                                   << "is not a power domain";
        QTest::newRow("a mode that keeps too much") << "\"id\": \"STOP\", "
                                                    << "\"id\": \"STOP\", \"retains\": 999999, "
                                                    << "/modes/1/retains"
                                                    << "is more than the 131072 bytes";
        QTest::newRow("a domain with a port")
            << "\"never_together\":"
            << "\"domains\": [{ \"id\": \"D\", \"instances\": [\"PORTA\"] }], \"never_together\":"
            << "/domains/0/instances"
            << "cannot lie in a domain";
        QTest::newRow("a domain that gates")
            << "\"never_together\":"
            << "\"domains\": [{ \"id\": \"D\", \"instances\": [\"CLK\"] }], \"never_together\":"
            << "/domains/0/instances"
            << "it controls clocks";
        QTest::newRow("no regulator as after reset")
            << "\"never_together\":"
            << "\"regulator\": { \"control\": \"VREG.CTL.RANGE\", \"list\": [{ \"id\": \"A\", \"code\": 0 }, { \"id\": "
               "\"B\", \"code\": 3 }] }, \"never_together\":"
            << "/regulator/list"
            << "holds after reset";
        QTest::newRow("a fence without its reset")
            << "\"block\": \"uart\", \"base\": \"0x4D00 7500\""
            << "\"block\": \"uart\", \"base\": \"0x4D00 7500\", \"fences\": [{ \"field\": \"WDG.CTL.PRE\", \"admits\": "
               "{ \"1\": [\"Cortex-M4F\"] } }]"
            << "/instances/UART1/fences/0/admits"
            << "after reset";
        QTest::newRow("a fence for nobody") << "\"block\": \"uart\", \"base\": \"0x4D00 7500\""
                                            << "\"block\": \"uart\", \"base\": \"0x4D00 7500\", \"fences\": [{ "
                                               "\"field\": \"WDG.CTL.PRE\", \"admits\": { \"0\": [\"Cortex-M4\"] } }]"
                                            << "/instances/UART1/fences/0/admits/0/0"
                                            << "Did you mean \"Cortex-M4F\"?";
        QTest::newRow("unknown block") << "\"block\": \"uart\", \"base\": \"0x4D00 7500\""
                                       << "\"block\": \"uatr\", \"base\": \"0x4D00 7500\""
                                       << "/instances/UART1/block"
                                       << "Did you mean \"uart\"?";
    }
    void saysWhereAndWhat()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, pointer);
        QFETCH(QString, says);
        const Expected<Device> device = withFamily(from.toUtf8(), to.toUtf8());
        QVERIFY(!device.ok());
        COMPARE_TEXT(device.problem().file, "family.json");
        COMPARE_TEXT(device.problem().pointer, pointer);
        QVERIFY(device.problem().line > 0);
        QVERIFY2(device.problem().message.find(says.toStdString()) != std::string::npos,
                 device.problem().message.c_str());
        // The line is the one that holds what was changed.
        const QString line = QString::fromStdString(replaced(family_, from.toStdString(), to.toStdString()))
                                 .split('\n')
                                 .at(device.problem().line - 1);
        QVERIFY2(!line.trimmed().isEmpty(), qPrintable(line));
    }

    void padOnTwoPinsIsRefused()
    {
        const Expected<Device> device = parse(replaced(own_, "\"PA0\", \"PA1\"", "\"PA1\", \"PA1\""), family_);
        QVERIFY(!device.ok());
        COMPARE_TEXT(device.problem().text(), "own.json:14:21: /package/pins/2: PA1 is on two pins.");
    }

    void aDeviceCanDifferFromItsFamily()
    {
        const char* overrides =
            R"("overrides": { "blocks": { "uart": { "abilities": { "oversampling": [8] }, "roles": { "oversampling": { "field": "CTL.OVS", "encoding": { "table": [[8, 0]] } } } } } },
  "package": {)";
        const Expected<Device> device = parse(replaced(own_, "\"package\": {", overrides), family_);
        QVERIFY2(device.ok(), device.ok() ? "" : device.problem().text().c_str());
        const int uart = device->findInstance("UART1");
        QCOMPARE(device->abilities(uart, "oversampling"), (std::vector<std::int64_t>{8}));
        QCOMPARE(*device->blockOf(uart).role("oversampling")->encoding.encode(8), 0u);
        QVERIFY(!device->blockOf(uart).role("oversampling")->encoding.encode(16));
        // The rest of the block is the family's.
        QCOMPARE(device->ability(uart, "fraction_bits", 0), 4);
        QVERIFY(device->blockOf(uart).role("divider"));
        const Expected<Device> unknown = parse(replaced(replaced(own_, "\"package\": {", overrides),
                                                        "\"uart\": { \"abilities\"", "\"uatr\": { \"abilities\""),
                                               family_);
        QVERIFY(!unknown.ok());
        COMPARE_TEXT(unknown.problem().pointer, "/overrides/blocks/uatr");
        const Expected<Device> absent = parse(replaced(own_, "\"absent\": [", "\"absent\": [\"UART9\", "), family_);
        QVERIFY(!absent.ok());
        QVERIFY(absent.problem().message.find("\"UART9\" is no instance, signal or pad of the family") == 0);
    }

    void familyOutsideItsFolderIsNotFollowed()
    {
        QTemporaryDir folder;
        const auto path = std::filesystem::path(folder.path().toStdString()) / "x.json";
        QVERIFY(writeFileAtomically(path, "{\"format\": 1, \"name\": \"X\", \"family\": \"../../etc/passwd\"}").ok());
        const Expected<Device> device = loadDevice(path);
        QVERIFY(!device.ok());
        COMPARE_TEXT(device.problem().pointer, "/family");
    }

    void truncatedFilesGiveAnErrorWithALine()
    {
        for (size_t n = 0; n + 2 < own_.size(); n += 7) {
            const Expected<Device> device = parse(own_.substr(0, n), family_);
            QVERIFY(!device.ok());
            QVERIFY(device.problem().line > 0);
        }
        for (size_t n = 1; n + 2 < family_.size(); n += 211)
            QVERIFY(!parse(own_, family_.substr(0, n)).ok());
    }

    void survivesRandomDamage()
    {
        std::mt19937 random(5);
        const std::string pieces = "{}[]\",:0189-xX\\\n tnul";
        for (int i = 0; i < 1500; ++i) {
            std::string damaged = family_;
            for (unsigned k = random() % 3 + 1; k > 0; --k) {
                const size_t at = random() % damaged.size();
                if (random() % 2)
                    damaged[at] = pieces[random() % pieces.size()];
                else
                    damaged.erase(at, random() % 30);
            }
            const Expected<Device> device = parse(own_, damaged);
            if (device.ok())
                (void)lint(*device);
        }
    }

    void boardSaysWhereToo()
    {
        const std::string board = textOf(dataPath("boards/sluice-node-c.json"));
        const PartSource parts = [](std::string_view name) { return library().part(name); };
        QVERIFY(parseBoard(board, "b.json", parts).ok());
        // Its parts come from the library; without one they cannot be had.
        const Expected<Board> alone = parseBoard(board, "b.json");
        QVERIFY(!alone.ok());
        COMPARE_TEXT(alone.problem().pointer, "/parts/gate-bridge/from");
        const Expected<Board> bad = parseBoard(replaced(board, "\"12 MHz\"", "\"12 Mhz!\""), "b.json", parts);
        QVERIFY(!bad.ok());
        COMPARE_TEXT(bad.problem().pointer, "/crystals/HFX/rate");
        for (size_t n = 0; n + 2 < board.size(); n += 5)
            QVERIFY(!parseBoard(board.substr(0, n), "b.json").ok());
    }
};

BINDREL_TEST(LoadDeviceTest)
#include "load_device_test.moc"
