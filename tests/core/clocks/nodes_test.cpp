// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/rates.h"
#include "core/plan/clock_decision.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"
#include "tests/support/fixtures.h"

using namespace bindrel;
using namespace bindrel::test;

/// Every kind of clock node against rates and tolerances that were worked out by hand.
class NodesTest : public QObject {
    Q_OBJECT

    static const ClockState& clock(const Snapshot& s, const char* id)
    {
        return s.rates.clocks[s.device->findClock(id)];
    }
    static std::string toleranceOf(const Snapshot& s, const char* id) { return format(clock(s, id).tolerance); }
    static const Step* stepOn(const Snapshot& s, const char* field, Step::Kind kind)
    {
        const FieldRef ref = *s.device->findField(field);
        for (const Step& step : s.image.steps)
            if (step.kind == kind)
                for (const FieldWrite& write : step.fields)
                    if (write.ref == ref)
                        return &step;
        return nullptr;
    }

private Q_SLOTS:
    void fractionalFeedback()
    {
        LoadedPlan work = demo("pump-hall-a-done");
        for (const auto& [clock, value] : std::vector<std::pair<const char*, const char*>>{
                 {"R.SRC", "HX"}, {"R.IN", "2"}, {"R.VCO", "29+2015/4096"}, {"R.OUT", "4"}})
            work = with(work, SetClock{clock, clockSaid(value)});
        const auto s = run(work);
        // 25 MHz / 2 x (29 + 2015 / 4096) = 368.649 291 9… MHz, exactly 12 500 000 x 120799 / 4096.
        const Rational vco = Rational(12'500'000) * Rational(29 * 4096 + 2015, 4096);
        QVERIFY(clock(*s, "R.VCO").rate.value == vco);
        QVERIFY(clock(*s, "R.OUT").rate.value == vco / 4);
        // 25 MHz / 5 x 112 / 2, and a half step.
        QCOMPARE(hertz(*s, "LEAD"), 280e6);
        QCOMPARE(hertz(*s, "MEM"), 140e6);
        QCOMPARE(hertz(*s, "USBK"), 48e6);
        const auto half = run(with(work, SetClock{"P.B", clockSaid("1.5")}));
        QVERIFY(clock(*half, "P.B").rate.value == Rational(1120'000'000, 3));
        const Device& d = *s->device;
        QCOMPARE(half->image.codeOf(d, *d.findField("CLK.P_OUT.B")), 1u);
        // Only what runs is set up: PLL R has no user in this plan, so its fraction is not written.
        const auto used = run(with(work, SetClock{"SYNK", clockSaid("R.OUT")}));
        QCOMPARE(used->image.codeOf(d, *d.findField("CLK.R_SET.TIMES")), 29u);
        QCOMPARE(used->image.codeOf(d, *d.findField("CLK.R_PART.PART")), 2015u);
    }

    void factorsAreReadAndWritten_data()
    {
        QTest::addColumn<QString>("device");
        QTest::addColumn<QString>("clock");
        QTest::addColumn<QString>("typed");
        QTest::addColumn<QString>("kept"); // empty: refused
        QTest::newRow("whole") << "rl1224-q48"
                               << "PLL"
                               << "24"
                               << "24";
        QTest::newRow("eighths") << "rl1224-q48"
                                 << "PLL"
                                 << "24.125"
                                 << "24.125";
        QTest::newRow("as a fraction") << "rl1224-q48"
                                       << "PLL"
                                       << "24+4/32"
                                       << "24.125";
        QTest::newRow("marked") << "rl1224-q48"
                                << "PLL"
                                << "\u00d7 24.5"
                                << "24.5";
        QTest::newRow("between steps") << "rl1224-q48"
                                       << "PLL"
                                       << "24.03"
                                       << "";
        QTest::newRow("too small") << "rl1224-q48"
                                   << "PLL"
                                   << "7.875"
                                   << "";
        QTest::newRow("too large") << "rl1224-q48"
                                   << "PLL"
                                   << "48.125"
                                   << "";
        QTest::newRow("4096ths") << "al7654-f144"
                                 << "R.VCO"
                                 << "39.5"
                                 << "39+2048/4096";
        QTest::newRow("4096ths exact") << "al7654-f144"
                                       << "R.VCO"
                                       << "39+2630/4096"
                                       << "39+2630/4096";
        QTest::newRow("thousandths") << "al7654-f144"
                                     << "Q.VCO"
                                     << "39.125"
                                     << "39+125/1000";
        QTest::newRow("a listed half") << "al7654-f144"
                                       << "P.A"
                                       << "/ 1.5"
                                       << "1.5";
        QTest::newRow("a half that is not listed") << "al7654-f144"
                                                   << "P.A"
                                                   << "2.5"
                                                   << "";
        QTest::newRow("a whole of a list with halves") << "al7654-f144"
                                                       << "P.A"
                                                       << "6"
                                                       << "6";
        QTest::newRow("divided by nothing") << "rl1224-q48"
                                            << "PLL"
                                            << "24+1/0"
                                            << "";
        QTest::newRow("words") << "rl1224-q48"
                               << "PLL"
                               << "many"
                               << "";
        QTest::newRow("nothing") << "rl1224-q48"
                                 << "PLL"
                                 << "."
                                 << "";
        QTest::newRow("whole only") << "se4332-c64"
                                    << "PLLA.VCO"
                                    << "80.5"
                                    << "";
        QTest::newRow("rate") << "ms0816-a48"
                              << "RCO"
                              << "12 MHz"
                              << "12 MHz";
        QTest::newRow("rate and words") << "ms0816-a48"
                                        << "RCO"
                                        << "on, 12MHz"
                                        << "12 MHz, on";
        QTest::newRow("no such rate") << "ms0816-a48"
                                      << "RCO"
                                      << "15 MHz"
                                      << "";
        QTest::newRow("trim") << "rl1224-q48"
                              << "HRC"
                              << "trimmed"
                              << "trimmed";
        QTest::newRow("no trim") << "rl1224-q48"
                                 << "LXO"
                                 << "trimmed"
                                 << "";
        QTest::newRow("both ways") << "rl1224-q48"
                                   << "HRC"
                                   << "on, off"
                                   << "";
        QTest::newRow("gate") << "ms0816-a48"
                              << "RTCK"
                              << "off"
                              << "off";
    }
    void factorsAreReadAndWritten()
    {
        QFETCH(QString, device);
        QFETCH(QString, clock);
        QFETCH(QString, typed);
        QFETCH(QString, kept);
        const std::shared_ptr<const Device> d = shippedDevice(device.toStdString());
        const Expected<ClockDecision> got =
            readClockDecision(*d, d->findClock(clock.toStdString()), typed.toStdString());
        QCOMPARE(got.ok(), !kept.isEmpty());
        if (!got)
            QVERIFY2(got.problem().message.find("is not possible") != std::string::npos ||
                         got.problem().message.find("cannot be both") != std::string::npos,
                     got.problem().message.c_str());
        else
            COMPARE_TEXT(clockDecisionText(*got), kept);
    }

    /// What can be chosen is possible, is read back from its text, and on another chip means the same or is refused.
    void choicesAreReadBack()
    {
        std::vector<std::shared_ptr<const Device>> chips;
        for (const std::string& name : library().deviceNames())
            chips.push_back(shippedDevice(name));
        int seen = 0, sources = 0;
        for (const auto& chip : chips)
            for (const ClockIndex i : chip->clocks.indices())
                for (const ClockDecision& choice : clockChoices(*chip, i)) {
                    const std::string text = clockDecisionText(choice), where = chip->clocks[i].id + " " + text;
                    QVERIFY2(isPossible(*chip, i, choice), where.c_str());
                    const Expected<ClockDecision> again = readClockDecision(*chip, i, text);
                    QVERIFY2(again && *again == choice, where.c_str());
                    const auto* run = std::get_if<RunDecision>(&choice);
                    sources += run != nullptr;
                    QVERIFY2(settingOf(*chip, i, choice).has_value() == (!run || run->rate), where.c_str());
                    for (const auto& other : chips)
                        if (const ClockIndex there = other->findClock(chip->clocks[i].id);
                            there >= 0 && choice != ClockDecision(RunDecision()))
                            QVERIFY2(isPossible(*other, there, choice) ==
                                         (readClockDecision(*other, there, text).ok() &&
                                          *readClockDecision(*other, there, text) == choice),
                                     where.c_str());
                    ++seen;
                }
        QVERIFY2(seen > 1000 && sources > 50, fmt::format("{} choices, {} of sources", seen, sources).c_str());
    }

    /// Rates and words of a source add up; the same word again takes it back.
    void choicesOfASourceAddUp()
    {
        const RunDecision rate{megahertz(8), {}, {}, {}}, on{{}, ClockRun::On, {}, {}}, trimmed{{}, {}, true, {}};
        std::optional<ClockDecision> said = withChoice(std::nullopt, rate);
        said = withChoice(said, trimmed);
        said = withChoice(said, on);
        COMPARE_TEXT(clockDecisionText(said), "8 MHz, on, trimmed");
        QVERIFY(holdsChoice(said, rate) && holdsChoice(said, on) && holdsChoice(said, trimmed));
        said = withChoice(said, trimmed);
        said = withChoice(said, RunDecision{megahertz(4), {}, {}, {}});
        COMPARE_TEXT(clockDecisionText(said), "4 MHz, on");
        QVERIFY(!holdsChoice(said, rate) && !holdsChoice(said, trimmed));
        said = withChoice(said, RunDecision{});
        COMPARE_TEXT(clockDecisionText(said), "4 MHz");
        // Of a divider or select there is only one.
        QVERIFY(withChoice(FactorDecision{2}, FactorDecision{4}) == ClockDecision(FactorDecision{4}));
        QVERIFY(FactorDecision({2, 4}) == FactorDecision({1, 2}) &&
                clockDecisionText(ClockDecision(FactorDecision{5, 2})) == "2.5");
        // A decision that says nothing is none.
        QVERIFY(with(demo(), SetClock{"HFI", RunDecision()}).plan.clocks.count("HFI") == 0);
    }

    void presetsCopyTheirCalibration()
    {
        const auto s = run(demo("rain-post-b-done"));
        QCOMPARE(hertz(*s, "RCO"), 8e6);
        QCOMPARE(hertz(*s, "CORE"), 4e6);
        const Step* copy = stepOn(*s, "CKU.RCO.TRIM", Step::Kind::Copy);
        QVERIFY(copy && s->device->nameOf(copy->from) == "BIRTH.BAND2.TRIM");
        QCOMPARE(s->image.codeOf(*s->device, *s->device->findField("CKU.RCO.BAND")), 2u);
        // What it resets to needs neither.
        const auto reset = run(with(demo("rain-post-b-done"), SetClock{"RCO", std::nullopt}));
        QVERIFY(!stepOn(*reset, "CKU.RCO.TRIM", Step::Kind::Copy) &&
                !stepOn(*reset, "CKU.RCO.BAND", Step::Kind::Update));
    }

    void toleranceFollowsTheTemperature()
    {
        // The post stands at -25 to 50 degrees, beyond the better row of 0 to 50.
        COMPARE_TEXT(toleranceOf(*run(demo("rain-post-b-done")), "RCO"), "±2 %");
        LoadedPlan indoors = demo("rain-post-b-done");
        Board board = *indoors.board;
        board.temperature = TemperatureRange{10, 40};
        indoors.board = std::make_shared<const Board>(board);
        COMPARE_TEXT(toleranceOf(*run(indoors), "RCO"), "±1 %");
        COMPARE_TEXT(toleranceOf(*run(indoors), "ULP"), "±12 %");
        COMPARE_TEXT(toleranceOf(*run(demo("rain-post-b-done")), "ULP"), "-28 % … +22 %");
    }

    void trimmingHelpsWhileItsReferenceRuns()
    {
        const LoadedPlan ditch = demo("ditch-meter-d-done");
        // 0.15 % and the crystal's 20 ppm.
        COMPARE_TEXT(toleranceOf(*run(ditch), "HRC"), "±0.152 %");
        const auto untrimmed = run(with(ditch, SetClock{"HRC", std::nullopt}));
        COMPARE_TEXT(toleranceOf(*untrimmed, "HRC"), "±1.5 %");
        const auto alone =
            run(with(with(ditch, SetClock{"LXO", clockSaid("off")}), SetClock{"LOWK", clockSaid("LRC")}));
        COMPARE_TEXT(toleranceOf(*alone, "HRC"), "±1.5 %");
        QVERIFY2(hasFinding(*alone, "CLK-10", "HRC"), findingsText(*alone).c_str());
        QVERIFY(!hasFinding(*run(ditch), "CLK-10"));
        QVERIFY(stepOn(*run(ditch), "OSC.HRC.LOCK", Step::Kind::Update) &&
                !stepOn(*untrimmed, "OSC.HRC.LOCK", Step::Kind::Update));
        // By something outside there is nothing that could stand still.
        COMPARE_TEXT(toleranceOf(*run(demo()), "UOSC"), "±500 ppm");
    }

    void monitorsKeepTheirFallBackAlive()
    {
        const auto s = run(demo("rain-post-b-done"));
        QVERIFY(clock(*s, "LXO").monitored && stepOn(*s, "CKU.LXO.WATCH", Step::Kind::Update));
        const auto without = run(with(demo("ditch-meter-d-done"), SetClock{"HXO", std::nullopt}));
        QVERIFY(!stepOn(*without, "OSC.HXO.GUARD", Step::Kind::Update));
    }

    void anFllWidensWhatItFollows()
    {
        LoadedPlan work =
            with(with(demo("rain-post-b-done"), SetClock{"FLL", clockSaid("244")}), SetClock{"MAIN", clockSaid("FLL")});
        const auto s = run(work);
        QVERIFY(clock(*s, "FLL").rate.value == Rational(32768 * 244));
        COMPARE_TEXT(toleranceOf(*s, "FLL"), "±0.202 %");
        // The loop is set while it is off, then switched on, then waited for.
        QVERIFY(stepOn(*s, "CKU.FLL.MUL", Step::Kind::Update) && stepOn(*s, "CKU.FLL.ON", Step::Kind::Update) &&
                stepOn(*s, "CKU.STAT.FLLOK", Step::Kind::Wait));
    }

    void theCrystalSeesItsLoad()
    {
        const auto s = run(demo("rain-post-b-done"));
        QCOMPARE(s->image.codeOf(*s->device, *s->device->findField("CKU.LXO.LOAD")), 1u);
        QVERIFY(!hasFinding(*s, "CLK-09"));
        LoadedPlan other = demo("rain-post-b-done");
        Board board = *other.board;
        board.crystals.at("LXO").load = *parseCapacitance("8 pF");
        other.board = std::make_shared<const Board>(board);
        QVERIFY2(hasFinding(*run(other), "CLK-09", "LXO"), findingsText(*run(other)).c_str());
    }

    void gatesOpenForTheirUsersOnly()
    {
        QVERIFY(stepOn(*run(demo("rain-post-b-done")), "CKU.GATE.RTCCK", Step::Kind::Update));
        const auto idle = run(with(demo("rain-post-b-done"), RemoveNeed{"clock"}));
        QVERIFY(!clock(*idle, "RTCK").running && !stepOn(*idle, "CKU.GATE.RTCCK", Step::Kind::Update));
    }

    void anExternalClockIsTheBoards()
    {
        LoadedPlan work = with(demo("rain-post-b-done"), SetClock{"MAIN", clockSaid("XIN")});
        QVERIFY(!clock(*run(work), "CORE").running);
        Board board = *work.board;
        board.crystals["XIN"] = {*parseFrequency("6 MHz"), Tolerance::symmetric(50), {}};
        work.board = std::make_shared<const Board>(board);
        const auto s = run(work);
        QCOMPARE(hertz(*s, "XIN"), 6e6);
        COMPARE_TEXT(toleranceOf(*s, "CORE"), "±50 ppm");
        QVERIFY(hasFinding(*s, "CLK-07", "XIN"));
    }

    void aKeyGoesWithEveryWrite()
    {
        const auto s = run(with(demo("rain-post-b-done"), SetText{SetText::What::Range, "HIGH"}));
        const Step* range = stepOn(*s, "PMU.CTL.LEVEL", Step::Kind::Update);
        QVERIFY(range);
        QCOMPARE(range->value, 0x3D000001u);
        QCOMPARE(range->mask, 0xFF000001u);
        QVERIFY(s->source().find("rain_clocks.c")->text().find("RAIN_POWER_CTL_KEY_AT(RAIN_POWER_CTL_KEY_CODE)") !=
                std::string::npos);
    }

    /// What the chip does after reset, without any plan, breaks none of its own limits.
    void everyChipIsWithinItsLimitsAfterReset()
    {
        for (const std::string& name : library().deviceNames()) {
            const std::shared_ptr<const Device> device = shippedDevice(name);
            const Plan plan;
            const Rates rates = computeRates(*device, Board(), plan, bind(*device, plan));
            QVERIFY2(rates.clocks[device->cpuClock()].running, name.c_str());
            QVERIFY2(rates.waitStates.has_value(), name.c_str());
            const FieldRef& wait = device->waitStates;
            const std::uint32_t waits =
                device->registerOf(wait).reset >> device->fieldOf(wait).lsb & device->fieldOf(wait).maxCode();
            QVERIFY2(std::uint32_t(*rates.waitStates) <= waits, name.c_str());
            for (const ClockIndex i : rates.clocks.indices())
                if (const ClockState& c = rates.clocks[i]; c.running && c.used)
                    QVERIFY2(!c.max || c.rate <= *c.max, (name + " " + device->clocks[i].id).c_str());
        }
    }
};

BINDREL_TEST(NodesTest)
#include "nodes_test.moc"
