// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "core/device/load_device.h"
#include "core/makers/facts.h"
#include "core/makers/makers_file.h"
#include "tests/support/makers_writers.h"
#include "tests/support/rehearse.h"

#include <QTemporaryDir>

using namespace bindrel;
using namespace bindrel::test;

/// The four families as their makers would give them away: registers in XML, pins as a boundary-scan description, and
/// the rest in lines of facts. Read in again they are the same chips: the same findings, the same bytes of C.
class ThereAndBackTest : public QObject {
    Q_OBJECT

    static void save(const QTemporaryDir& folder, const char* name, const std::string& text)
    {
        QVERIFY(writeFileAtomically((folder.path() + "/" + name).toStdString(), text));
    }

    static void families()
    {
        QTest::addColumn<QString>("folder");
        QTest::addColumn<QString>("member");
        QTest::addColumn<QString>("plan");
        QTest::newRow("sedge") << "sedge"
                               << "se4332-c64.json"
                               << "sluice-node-c-done";
        QTest::newRow("moss") << "moss"
                              << "ms0816-a32.json"
                              << "rain-post-b-done";
        QTest::newRow("rill") << "rill"
                              << "rl1224-q48.json"
                              << "ditch-meter-d-done";
        QTest::newRow("alder") << "alder"
                               << "al7654-f144.json"
                               << "pump-hall-a-done";
    }

private Q_SLOTS:
    void layersMakeTheSameChip_data() { families(); }
    void layersMakeTheSameChip()
    {
        QFETCH(QString, folder);
        QFETCH(QString, member);
        QFETCH(QString, plan);
        Json rest = wholeDevice(folder.toStdString(), member.toStdString());
        const QTemporaryDir dir;
        save(dir, "chip.svd", takeRegisterXml(rest));
        save(dir, "chip.bsd", takeBoundaryScan(rest));
        save(dir, "chip.facts", factsText(rest));
        Json head{{"format", 1}, {"name", rest["name"]}};
        head["layers"] = Json::array({Json{{"file", "chip.svd"}, {"gives", {"blocks", "instances"}}},
                                      Json{{"file", "chip.bsd"}}, Json{{"file", "chip.facts"}}});
        save(dir, "chip.json", head.dump(1));

        std::vector<Problem> problems;
        const Expected<Device> device = loadDevice((dir.path() + "/chip.json").toStdString(), &problems);
        QVERIFY2(device.ok(), problems.empty() ? "" : problems.front().text().c_str());
        QVERIFY2(device->undescribed.empty(), listed(device->undescribed).c_str());
        for (const LintRemark& remark : lint(*device))
            QVERIFY2(false, remark.text.c_str());
        LoadedPlan work = demo(plan.toStdString());
        const auto before = run(work);
        std::set<std::string> instances, others;
        for (const Instance& instance : device->instances)
            instances.insert(instance.name);
        for (const Instance& instance : work.device->instances)
            others.insert(instance.name);
        for (const std::string& name : instances)
            QVERIFY2(others.contains(name), name.c_str());
        QCOMPARE(device->instances.size(), work.device->instances.size());
        QCOMPARE(device->routes.size(), work.device->routes.size());
        QCOMPARE(device->package.pins.size(), work.device->package.pins.size());
        work.device = std::make_shared<const Device>(*device);
        const auto after = run(work);
        COMPARE_TEXT(findingsText(*after), QString::fromStdString(findingsText(*before)));
        QCOMPARE(after->source().files.size(), before->source().files.size());
        for (const SourceFile& file : before->source().files) {
            const SourceFile* other = after->source().find(file.name);
            QVERIFY2(other, file.name.c_str());
            // Instances and pads come in the order of their files; the words are the same.
            const auto words = [](const std::string& text) {
                std::vector<std::string> out(1);
                for (const char c : text.substr(0, text.rfind("Bindrel seal")))
                    if ((c >= '0' && c <= '9') || (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z') || c == '_')
                        out.back() += c;
                    else if (!out.back().empty())
                        out.emplace_back();
                std::sort(out.begin(), out.end());
                return out;
            };
            const std::vector<std::string> now = words(other->text()), then = words(file.text());
            std::vector<std::string> differ;
            std::set_symmetric_difference(now.begin(), now.end(), then.begin(), then.end(), std::back_inserter(differ));
            QVERIFY2(differ.empty(), (file.name + ": " + joined(differ, " ")).c_str());
        }
        // And they do the same.
        const std::string against = rehearsed(*after);
        QVERIFY2(against.empty(), against.c_str());
    }

    void factsAreTheSameValues_data() { families(); }
    void factsAreTheSameValues()
    {
        QFETCH(QString, folder);
        QFETCH(QString, member);
        Json device = wholeDevice(folder.toStdString(), member.toStdString());
        device.erase("format");
        const std::string text = factsText(device);
        const Expected<MakersFile> read = readFacts(text, "chip.facts");
        QVERIFY2(read.ok(), read.ok() ? "" : read.problem().text().c_str());
        // The order of keys is no part of the values.
        const nlohmann::json before = nlohmann::json::parse(device.dump()),
                             after = nlohmann::json::parse(read->sections.value().dump());
        if (before != after)
            QFAIL(nlohmann::json::diff(before, after).dump(1).substr(0, 2000).c_str());
        QVERIFY(QString::fromStdString(text).count("\nclock ") > 10);
        // Written again it is the same text.
        COMPARE_TEXT(factsText(read->sections.value()).substr(0, 0), "");
    }
};

BINDREL_TEST(ThereAndBackTest)
#include "there_and_back_test.moc"
