// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/pseudo_catalogue.h"
#include "core/clocks/reach.h"
#include "core/interchange/interrupt_sheet.h"
#include "core/rehearsal/rehearsal.h"
#include "tests/support/random_plans.h"

using namespace bindrel;
using namespace bindrel::test;

namespace {

std::string stepText(const Step& step)
{
    std::string out = fmt::format("{} {} {}.{} {:X} {:X} {}", int(step.kind), int(step.phase), int(step.instance),
                                  int(step.reg), step.mask, step.value, step.timeout.value.text());
    for (const FieldWrite& write : step.fields)
        out +=
            fmt::format(" {}.{}.{}={}", int(write.ref.instance), int(write.ref.reg), int(write.ref.field), write.code);
    return out + "\n";
}

/// All that a reader of another language must find the same: what is decided and computed, and what is searched for and
/// parsed again. Words are left out.
std::string factsOf(const Snapshot& s)
{
    std::string out;
    for (const BoundNeed& bound : s.bindings.needs)
        out += fmt::format("{} {}\n", int(bound.instance), int(bound.state));
    for (const ClockState& clock : s.rates.clocks)
        out += clock.rate.value.text() + "\n";
    for (const Setting& setting : s.settings) {
        for (const Achieved& row : setting.achieved)
            out += fmt::format("{} {} {} {}\n", row.goal, row.ok, row.formula.empty(), row.trouble.empty());
        for (const RoleValue& role : setting.roles)
            out += fmt::format("{}={}\n", role.role, role.value);
    }
    for (const std::vector<Step>* steps : {&s.image.steps})
        for (const Step& step : *steps)
            out += stepText(step);
    for (const Finding& finding : s.findings) {
        out += fmt::format("{} {} {} {} {} {} {}\n", finding.rule, int(finding.severity), int(finding.place.kind),
                           finding.place.id, finding.place.sub, finding.fixTitle.empty(), finding.beyondPads);
        if (finding.ways)
            out += finding.ways->clock + " " + finding.ways->wish + "\n";
    }
    return out;
}

/// What each finding's fix makes of the plan.
std::string fixesOf(const Snapshot& s)
{
    std::string out;
    for (const Finding& finding : s.findings)
        if (const Expected<Edit> edit = fixFor(s.facts(), finding)) {
            const Expected<Plan> plan = applied(s.plan, *edit);
            out += finding.rule + (plan ? planText(*plan) : plan.problem().message);
        }
    return out;
}

/// How runs end, without their words.
std::string runsOf(const Snapshot& s)
{
    std::string out;
    for (const Scenario& scenario : scenariosOf(s.facts())) {
        const Rehearsal run = rehearsePlanned(s.facts(), scenario);
        out += fmt::format("{} {} {}\n", run.operations.size(), run.gaveUp.empty(), run.hazards.size());
        for (const Hazard& hazard : run.hazards)
            out += fmt::format("{} {} {}\n", int(hazard.kind), hazard.place.id, hazard.at);
    }
    return out;
}

} // namespace

/// Whoever reads, the chip is the same: the pipeline in a language that nobody speaks decides and computes what it does
/// in English.
class ReaderTest : public QObject {
    Q_OBJECT

    template <typename Look> void compare(const LoadedPlan& work, Look look)
    {
        static const PseudoCatalogue pseudo;
        const std::string plain = look(*computeSnapshot(work));
        setReader(pseudo);
        const std::string other = look(*computeSnapshot(work));
        setReader(english());
        if (plain != other)
            for (size_t i = 0; i < std::min(plain.size(), other.size()); ++i)
                if (plain[i] != other[i]) {
                    const size_t from = plain.rfind('\n', i) + 1;
                    qWarning("%s\n%s", plain.substr(from, 200).c_str(), other.substr(from, 200).c_str());
                    break;
                }
        QVERIFY(plain == other);
    }

private Q_SLOTS:
    void cleanup() { setReader(english()); }

    void examplesAreTheSame_data()
    {
        QTest::addColumn<QString>("plan");
        for (const char* name : {"sluice-node-c-start", "sluice-node-c-tangled", "sluice-node-c-done",
                                 "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"})
            QTest::newRow(name) << name;
    }
    void examplesAreTheSame()
    {
        QFETCH(QString, plan);
        const LoadedPlan work = demo(plan.toStdString());
        compare(work, factsOf);
        compare(work, fixesOf);
        compare(work, runsOf);
    }

    /// What a finding offers to search for is read again, in whatever language it was found.
    void aSearchThatIsOfferedCanBeMade()
    {
        // USB by an oscillator that is not trimmed: too rough.
        const LoadedPlan work = with(with(demo(), SetClock{"UOSC", std::nullopt}), SetClock{"USBK", clockSaid("UOSC")});
        compare(work, factsOf);
        static const PseudoCatalogue pseudo;
        setReader(pseudo);
        const auto snapshot = computeSnapshot(work);
        int offered = 0;
        for (const Finding& finding : snapshot->findings)
            if (finding.ways && !finding.ways->clock.empty()) {
                ++offered;
                QVERIFY2(readReachTarget(*snapshot->device, finding.ways->clock + "=" + finding.ways->wish),
                         finding.ways->wish.c_str());
            }
        QVERIFY(offered > 0);
    }

    /// Plans with things wrong in them: bindings drawn by lot, goals and clocks that cannot be met.
    void plansByLotAreTheSame()
    {
        for (unsigned seed = 0; seed < 12; ++seed) {
            LoadedPlan work = shuffled(demo(seed % 2 ? "pump-hall-a-done" : "sluice-node-c-done"), seed);
            for (Need& need : work.plan.needs)
                if (seed % 3 == 0 && need.kind == "uart")
                    need.goals.state("baud", "7 MBd");
            work.plan.temperature = seed % 4 == 1 ? "-60 to 150" : work.plan.temperature;
            compare(work, factsOf);
            if (seed % 4 == 0)
                compare(work, fixesOf);
        }
    }
};

BINDREL_TEST(ReaderTest)
#include "reader_test.moc"
