// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/device/device_memory.h"
#include "core/snapshot_change.h"
#include "tests/support/fixtures.h"

using namespace bindrel;
using namespace bindrel::test;

/// Where devices come from, and what happens to a plan when its device's file changes.
class LibraryTest : public QObject {
    Q_OBJECT

    QTemporaryDir dir_;

    std::filesystem::path path(const QString& name) const { return dir_.filePath(name).toStdString(); }

    /// A copy of a shipped device in a folder, with a change in its own file or its family's.
    void copyDevice(const QString& folder, const std::string& from, const std::string& to) const
    {
        std::filesystem::create_directories(path(folder));
        for (const char* name : {"ms0816-a32.json", "moss.json"}) {
            std::string text = textOf(dataPath(std::string("devices/moss/") + name));
            if (const size_t at = text.find(from); !from.empty() && at != std::string::npos)
                text.replace(at, from.size(), to);
            QVERIFY(writeFileAtomically(path(folder + "/" + name), text).ok());
        }
    }

private Q_SLOTS:
    /// What has not changed is held once; a change of either file is seen at once, and others in between push nothing
    /// wrong in front.
    void whatIsTheSameIsReadOnce()
    {
        copyDevice("kept", {}, {});
        const Library kept = library().with(path("kept"), Origin::Folder);
        const auto first = kept.device("ms0816-a32");
        QVERIFY(first && kept.device("MS0816-A32") && *kept.device("ms0816-a32") == *first);
        for (const std::string& name : library().deviceNames())
            QVERIFY(lowered((*library().device(name))->name) == lowered(name));
        const auto again = kept.device("ms0816-a32");
        QVERIFY(again && (*again)->revision == (*first)->revision && (*again)->file == (*first)->file);
        // The family's file alone.
        const std::string family = textOf(path("kept/moss.json"));
        QVERIFY(writeFileAtomically(path("kept/moss.json"), family + "\n").ok());
        const auto changed = kept.device("ms0816-a32");
        QVERIFY(changed && *changed != *again && (*changed)->revision != (*first)->revision);
        QVERIFY(writeFileAtomically(path("kept/moss.json"), "{").ok());
        const auto broken = kept.device("ms0816-a32");
        QVERIFY(!broken && broken.problem().file.ends_with("moss.json"));
        std::filesystem::remove(path("kept/moss.json"));
        QVERIFY(!kept.device("ms0816-a32"));
        QVERIFY(writeFileAtomically(path("kept/moss.json"), family).ok());
        QCOMPARE((*kept.device("ms0816-a32"))->revision, (*first)->revision);
    }

    void theFirstPlaceWins()
    {
        copyDevice("named", R"("about": "Battery)", R"("about": "Named battery)");
        copyDevice("user/devices", R"("about": "Battery)", R"("about": "User battery)");
        copyDevice("beside", R"("about": "Battery)", R"("about": "Beside battery)");
        const Library user = library().with(path("user"), Origin::User);
        const Library beside = user.with(path("beside"), Origin::BesidePlan);
        const Library named = user.with(path("named"), Origin::Folder).with(path("beside"), Origin::BesidePlan);
        const auto aboutIn = [](const Library& l) {
            return QString::fromStdString((*l.device("ms0816-a32"))->about).section(' ', 0, 0);
        };
        QCOMPARE(aboutIn(library()), "Battery");
        QCOMPARE(aboutIn(user), "User");
        QCOMPARE(aboutIn(beside), "Beside");
        QCOMPARE(aboutIn(named), "Named");
        QCOMPARE(named.deviceFile("MS0816-A32")->origin, Origin::Folder);
        QCOMPARE(named.deviceFile("SE4332-C64")->origin, Origin::Shipped);
        QCOMPARE(named.deviceNames().size(), library().deviceNames().size());
        // A name is no path.
        QVERIFY(!named.deviceFile("../devices/moss/moss").has_value() && !named.deviceFile("").has_value());
    }

    void shippedLooksIntoTheUsersOwn()
    {
        copyDevice("data/bindrel/devices", R"("about": "Battery)", R"("about": "Mine battery)");
        const QByteArray before = qgetenv("XDG_DATA_HOME");
        qputenv("XDG_DATA_HOME", dir_.filePath("data").toUtf8());
        QCOMPARE(Library::shipped().deviceFile("ms0816-a32")->origin, Origin::User);
        qputenv("XDG_DATA_HOME", "relative/is/ignored");
        QCOMPARE(Library::shipped().deviceFile("ms0816-a32")->origin, Origin::Shipped);
        qputenv("XDG_DATA_HOME", before);
    }

    void aPlanTakesItsDeviceFromBesideIt()
    {
        copyDevice("plans", R"("rate": "9 kHz")", R"("rate": "10 kHz")");
        QVERIFY(writeFileAtomically(path("plans/rain.bindrel"), textOf(demoPath("rain-post-b-done"))).ok());
        const Expected<LoadedPlan> work = loadPlan(path("plans/rain.bindrel"), library());
        QVERIFY2(work.ok(), work.ok() ? "" : work.problem().text().c_str());
        QCOMPARE(work->provenance.device, Origin::BesidePlan);
        QCOMPARE(hertz(*run(*work), "ULP"), 10e3);
    }

    void allPartsAndBoardsMakePlans()
    {
        QVERIFY(library().partNames().size() > 25);
        for (const std::string& name : library().partNames()) {
            const Expected<Part> part = library().part(name);
            QVERIFY2(part.ok(), part.ok() ? "" : part.problem().text().c_str());
            COMPARE_TEXT(part->id, QString::fromStdString(name));
            // As the only part of a board it makes a plan whose terminals are all wired.
            Board board;
            board.parts.push_back(*part);
            const Expected<Plan> plan = planFromBoard(board);
            QVERIFY2(plan.ok(), plan.ok() ? "" : plan.problem().message.c_str());
            size_t wired = 0;
            for (const Need& need : plan->needs) {
                QCOMPARE(signalsOf(need).size(), need.terminals.size());
                wired += need.terminals.size();
            }
            QCOMPARE(wired, part->terminals.size());
        }
        for (const std::string& name : library().boardNames()) {
            const Expected<Board> board = library().board(name);
            QVERIFY2(board.ok(), board.ok() ? "" : board.problem().text().c_str());
            const Expected<Plan> plan = planFromBoard(*board);
            QVERIFY2(plan.ok(), plan.ok() ? "" : plan.problem().message.c_str());
            // Bound from nothing, nothing is contested.
            const std::shared_ptr<const Device> device = shippedDevice(board->device);
            const Expected<Edit> edit = bindAllOpen(*device, *board, *plan);
            QVERIFY2(edit.ok(), edit.ok() ? "" : edit.problem().message.c_str());
            const Bindings bound = bind(*device, *applied(*plan, *edit));
            QVERIFY(bound.contests.empty());
            QCOMPARE(bound.count(BoundNeed::State::Bound), int(plan->needs.size()));
        }
    }

    void partsSayWhatIsWrongWithThem_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("pointer");
        QTest::newRow("terminal") << R"("tx": "rxd")"
                                  << R"("tx": "rxx")"
                                  << "/needs/0/terminals/tx";
        QTest::newRow("key") << R"("kind": "uart")"
                             << R"("kin": "uart")"
                             << "/needs/0/kin";
        QTest::newRow("twice") << R"("id": "wake", )"
                               << ""
                               << "/needs/1";
        QTest::newRow("format") << R"("format": 1)"
                                << R"("format": 3)"
                                << "/format";
    }
    void partsSayWhatIsWrongWithThem()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, pointer);
        const Expected<Part> part = parsePart(
            replaced(textOf(dataPath("parts/serial-radio.json")), from.toStdString(), to.toStdString()), "radio.json");
        QVERIFY(!part.ok());
        COMPARE_TEXT(part.problem().pointer, pointer);
    }

    void aPartThatAsksForWhatNoKindHasIsNamed()
    {
        Board board;
        Part part{"radio", "Radio", "", {"rxd"}, false, {}, {{"", "Radio", "uarrt", {}, {}}}};
        board.parts = {part};
        QVERIFY(planFromBoard(board).problem().message.find("Did you mean \"uart\"?") != std::string::npos);
        board.parts[0].needs[0] = {"", "Radio", "uart", {{"baud", "fast"}}, {}};
        QVERIFY(planFromBoard(board).problem().message.find("Radio, Radio: ") == 0);
        board.parts[0].needs[0] = {"", "Radio", "uart", {}, {{"tx2", "rxd"}}};
        QVERIFY(planFromBoard(board).problem().message.find("\"tx2\" is not a signal") != std::string::npos);
    }

    void aChangedDeviceIsToldWithWhatItChanges()
    {
        copyDevice("work", "", "");
        const auto memory = path("memory");
        const std::string text = textOf(demoPath("rain-post-b-done"));
        QVERIFY(writeFileAtomically(path("work/rain.bindrel"), text).ok());
        const Expected<LoadedPlan> first = loadPlan(path("work/rain.bindrel"), library());
        QVERIFY(first.ok());
        QVERIFY(
            savePlan(stamped(first->plan, *first->device, first->provenance.device), path("work/rain.bindrel")).ok());
        QVERIFY(rememberDevice(*first->device, memory).ok());
        const Expected<LoadedPlan> same = loadPlan(path("work/rain.bindrel"), library());
        QVERIFY(same.ok() && !same->deviceChange && deviceChanges(*same, memory).empty());
        COMPARE_TEXT(same->plan.deviceOrigin, "beside the plan");

        // Another clock for the slow oscillator, another place for a divider, a pad that is gone, a remap that moved.
        copyDevice("work", "", "");
        std::string family = textOf(path("work/moss.json"));
        family = replaced(family, R"("rate": "9 kHz")", R"("rate": "16 kHz")");
        family = replaced(family, R"("SDC": "4:0", "SEG": "13:8")", R"("SDC": "5:1", "SEG": "13:8")");
        family =
            replaced(family, R"("1": { "TX": "PB6", "RX": "PB7" } } },)", R"("1": { "TX": "PB5", "RX": "PB7" } } },)");
        QVERIFY(writeFileAtomically(path("work/moss.json"), family).ok());
        const Expected<LoadedPlan> changed = loadPlan(path("work/rain.bindrel"), library());
        QVERIFY2(changed.ok(), changed.ok() ? "" : changed.problem().text().c_str());
        QVERIFY(changed->deviceChange.has_value());
        const std::vector<std::string> told = deviceChanges(*changed, memory);
        const auto says = [&told](const std::string& what) {
            return std::any_of(told.begin(), told.end(),
                               [&](const std::string& line) { return line.find(what) != std::string::npos; });
        };
        QVERIFY(says("Ultra-low-power: 9 kHz becomes 16 kHz"));
        QVERIFY(says("CKU.KDIV: "));
        // On a machine that does not have the old file, that much is said.
        QVERIFY(deviceChanges(*changed, path("empty")).back().find("is not kept on this machine") != std::string::npos);
        // A revision from a stranger's plan leads nowhere else.
        QVERIFY(!recallDevice("../../../../etc", memory).ok());
    }

    void whatAChangedDeviceLacksIsLeftOutAndListed()
    {
        copyDevice("less", "", "");
        QVERIFY(writeFileAtomically(path("less/rain.bindrel"), textOf(demoPath("rain-post-b-done"))).ok());
        const Expected<LoadedPlan> first = loadPlan(path("less/rain.bindrel"), library());
        QVERIFY(first.ok());
        QVERIFY(
            savePlan(stamped(first->plan, *first->device, first->provenance.device), path("less/rain.bindrel")).ok());
        // The counter is gone, and with it what sat on it; so is a divider's setting.
        const std::string own =
            replaced(textOf(path("less/ms0816-a32.json")), R"("absent": [)", R"("absent": ["CNT0", )");
        QVERIFY(writeFileAtomically(path("less/ms0816-a32.json"), own).ok());
        const std::string family =
            replaced(textOf(path("less/moss.json")), R"("factors": "1..64")", R"("factors": "1..16")");
        QVERIFY(writeFileAtomically(path("less/moss.json"), family).ok());
        const Expected<LoadedPlan> work = loadPlan(path("less/rain.bindrel"), library());
        QVERIFY2(work.ok(), work.ok() ? "" : work.problem().text().c_str());
        QCOMPARE(work->deviceChange->lost.size(), size_t(2));
        QVERIFY(work->plan.need("rain-tipper")->binding.empty());
        QVERIFY(!work->plan.clocks.contains("SEGK"));
        // Without a note of the device the same plan is a mistake, and says where.
        QVERIFY(writeFileAtomically(path("less/fresh.bindrel"), textOf(demoPath("rain-post-b-done"))).ok());
        const Expected<LoadedPlan> strict = loadPlan(path("less/fresh.bindrel"), library());
        QVERIFY(!strict.ok());
        COMPARE_TEXT(strict.problem().pointer, "/clocks/SEGK");
    }
};

BINDREL_TEST(LibraryTest)
#include "library_test.moc"
