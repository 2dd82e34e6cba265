// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>

#include <set>

using namespace bindrel;
using namespace bindrel::test;
using Json = nlohmann::ordered_json;

/// Every value of every file is replaced by values of every other type, taken out, or doubled in a list. The readers
/// must take it or say where it is wrong: never crash, never a problem without a place.
class WrongTypesTest : public QObject {
    Q_OBJECT

    static Json parsed(const std::string& text) { return Json::parse(text, nullptr, true, true); }

    static const std::vector<Json>& strangers()
    {
        static const std::vector<Json> all{nullptr,
                                           true,
                                           -1,
                                           4'000'000'000'000LL,
                                           1.5,
                                           "",
                                           "nonsense",
                                           Json::array(),
                                           Json::object(),
                                           Json::array({Json::array(), 1, "x"}),
                                           Json::object({{"a", 1}})};
        return all;
    }

    /// Calls back with each damaged copy; `step` thins out large documents, BINDREL_LONG thickens them.
    template <typename Try> static int damage(const Json& whole, size_t step, Try attempt)
    {
        const Json flat = whole.flatten();
        std::set<std::string> pointers;
        for (const auto& item : flat.items()) {
            // The value itself, and every container on the way to it.
            std::string pointer = item.key();
            while (!pointer.empty()) {
                pointers.insert(pointer);
                pointer = pointer.substr(0, pointer.rfind('/'));
            }
        }
#ifdef __SANITIZE_ADDRESS__
        step *= 9; // everything takes ten times as long there
#endif
        step = std::max<size_t>(1, step / size_t(std::max(1, qEnvironmentVariableIntValue("BINDREL_LONG"))));
        size_t index = 0;
        int tried = 0;
        for (const std::string& pointer : pointers) {
            // Thinned out, every value still meets some of the strangers, and its neighbour others.
            const Json::json_pointer at(pointer);
            for (const Json& stranger : strangers()) {
                if (++index % step != 0)
                    continue;
                Json copy = whole;
                copy[at] = stranger;
                attempt(copy.dump(1), pointer);
                ++tried;
            }
            if (++index % step != 0)
                continue;
            Json without = whole;
            Json& parent = without[at.parent_pointer()];
            if (parent.is_object())
                parent.erase(at.back());
            else
                parent.erase(size_t(std::stoul(at.back())));
            attempt(without.dump(1), pointer);
        }
        return tried;
    }

    static void checkProblem(const Problem& problem, const std::string& where)
    {
        QVERIFY2(problem.line > 0 && !problem.message.empty() && problem.message.size() < 2000,
                 (where + ": " + problem.text()).c_str());
        QVERIFY2(problem.message.ends_with('.') || problem.message.ends_with('?'), problem.text().c_str());
    }

private Q_SLOTS:
    void plans()
    {
        int refused = 0;
        const int tried =
            damage(parsed(planText(fullPlan().plan)), 2, [&](const std::string& text, const std::string& where) {
                const Expected<LoadedPlan> work = parsePlan(text, "p", library());
                if (work.ok()) {
                    (void)computeSnapshot(*work);
                } else {
                    checkProblem(work.problem(), where);
                    ++refused;
                }
            });
        QVERIFY(tried > 100 && refused > tried / 2);
    }

    void boards()
    {
        int refused = 0;
        const int tried = damage(parsed(textOf(dataPath("boards/sluice-node-c.json"))), 1,
                                 [&](const std::string& text, const std::string& where) {
                                     const Expected<Board> board = parseBoard(text, "b");
                                     if (!board.ok()) {
                                         checkProblem(board.problem(), where);
                                         ++refused;
                                     }
                                 });
        QVERIFY(tried > 50 && refused > tried / 3);
    }

    void packages()
    {
        const std::string family = textOf(dataPath("devices/sedge/sedge.json"));
        damage(parsed(textOf(dataPath("devices/sedge/se4332-c64.json"))), 5,
               [&](const std::string& text, const std::string& where) {
                   const Expected<Device> device = parseDevice(text, "d", family, "f");
                   if (device.ok())
                       (void)lint(*device);
                   else
                       checkProblem(device.problem(), where);
               });
    }

    void wholeDevices()
    {
        // The small chip has every section in one file.
        int refused = 0;
        const int tried =
            damage(parsed(textOf(std::filesystem::path(BINDREL_SOURCE_ROOT) /
                                 "tests/data/library/devices/reed/rd1016-d16.json")),
                   2, [&](const std::string& text, const std::string& where) {
                       const Expected<Device> device = parseDevice(text, "d", "", "");
                       if (device.ok()) {
                           (void)lint(*device);
                           // A plan of its own must not crash on it either.
                           LoadedPlan work;
                           work.device = std::make_shared<const Device>(*device);
                           work.board = std::make_shared<const Board>();
                           Need need;
                           need.id = need.title = "terminal";
                           need.kind = "uart";
                           work.plan.needs.push_back(need);
                           if (const Expected<Edit> edit = bindAllOpen(*work.device, *work.board, work.plan))
                               work.plan = *applied(work.plan, *edit);
                           (void)computeSnapshot(work);
                       } else {
                           checkProblem(device.problem(), where);
                           ++refused;
                       }
                   });
        QVERIFY(tried > 150 && refused > tried / 2);
    }

    void families()
    {
        const std::string own = textOf(dataPath("devices/sedge/se4332-c64.json"));
        damage(parsed(textOf(dataPath("devices/sedge/sedge.json"))), 53,
               [&](const std::string& text, const std::string& where) {
                   const Expected<Device> device = parseDevice(own, "d", text, "f");
                   if (!device.ok())
                       checkProblem(device.problem(), where);
               });
    }
};

BINDREL_TEST(WrongTypesTest)
#include "wrong_types_test.moc"
