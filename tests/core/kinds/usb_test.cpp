// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/usb/usb_endpoints.h"
#include "tests/support/chip_memory.h"
#include "tests/support/rehearse.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

class UsbTest : public QObject {
    Q_OBJECT

    static std::string usbOf(const LoadedPlan& work)
    {
        for (const Need& need : work.plan.needs)
            if (need.kind == "usb")
                return need.id;
        return {};
    }

private Q_SLOTS:
    void sizesAreThoseOfTheBus()
    {
        QVERIFY(parseUsbEndpoints("1 in bulk 64, 1 out bulk 64, 2 in interrupt 8, 3 out isochronous 1023", true, 64));
        QVERIFY(parseUsbEndpoints("", false, 8) && parseUsbEndpoints("1 in interrupt 8", false, 8));
        for (const char* wrong :
             {"1 in bulk 63", "1 in bulk 128", "1 in interrupt 65", "1 in interrupt 0", "1 out isochronous 1024",
              "0 in bulk 64", "16 in bulk 64", "1 in control 64", "1 in bulk", "1 up bulk 64", "1 in bulb 64",
              "1 in bulk 64, 1 in interrupt 8", "1.5 in bulk 64"})
            QVERIFY2(!parseUsbEndpoints(wrong, true, 64), wrong);
        for (const char* wrong : {"1 in bulk 8", "1 in interrupt 9", "1 in isochronous 8"})
            QVERIFY2(!parseUsbEndpoints(wrong, false, 8), wrong);
        QVERIFY(!parseUsbEndpoints("", false, 64) && !parseUsbEndpoints("", true, 24));
    }

    void buffersDoNotOverlap()
    {
        std::mt19937 random(seeded(3));
        for (int round = 0; round < 200; ++round) {
            std::string text;
            for (int n = 1; n < 8; ++n)
                if (random() % 2)
                    text += fmt::format("{} {} interrupt {},", n, random() % 2 ? "in" : "out", 1 + random() % 64);
            std::vector<UsbEndpoint> endpoints = *parseUsbEndpoints(text, true, 32);
            const int step = 1 << random() % 5, taken = layEndpoints(endpoints, step);
            std::vector<int> owner(size_t(taken), -1);
            for (size_t i = 0; i < endpoints.size(); ++i) {
                QCOMPARE(endpoints[i].at % step, 0);
                for (int byte = endpoints[i].at; byte < endpoints[i].at + endpoints[i].bytes; ++byte) {
                    QCOMPARE(owner.at(size_t(byte)), -1);
                    owner[size_t(byte)] = int(i);
                }
            }
        }
    }

    void aSerialPort()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
        LoadedPlan work = demo();
        const std::string id = usbOf(work);
        for (const auto& [goal, value] : {std::pair{"endpoints", "1 in bulk 64, 1 out bulk 64, 2 in interrupt 16"},
                                          {"class", "serial port"},
                                          {"vendor", "4660"},
                                          {"product", "22136"},
                                          {"control", "32"}})
            work = with(work, SetGoal{id, goal, value});
        const auto s = run(work);
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
        const Compiled code(*s);
        const Chip chip(*s->device);
        std::string name = "sluice_" + id;
        std::replace(name.begin(), name.end(), '-', '_');
        code.find<void()>((name + "_set_endpoints").c_str())();
        const std::uint32_t base = 0x4D00EA00;
        const auto endpoint = [&](std::uint32_t n) { return Chip::at(base + 0x20 + 4 * n); };
        const auto place = [&](std::uint32_t n) { return Chip::at(base + 0x40 + 4 * n); };
        // By number: 0 both ways, 1 out, 1 in, 2 in; in the order of the memory.
        QCOMPARE(endpoint(0), 32u << 4 | 3u << 12);
        QCOMPARE(endpoint(1), 1u | 64u << 4 | 3u << 12);
        QCOMPARE(endpoint(2), 2u | 16u << 4 | 1u << 12);
        QCOMPARE(place(0), 0u << 16 | 4u);
        QCOMPARE(place(1), 8u << 16 | 16u);
        QCOMPARE(place(2), 24u);
        QCOMPARE(endpoint(3), 0u);

        // The descriptors, as a host walks through them (USB 2.0, 9.6).
        const auto* device =
            reinterpret_cast<const std::uint8_t*>(code.find<void>((name + "_device_descriptor").c_str()));
        QVERIFY(device[0] == 18 && device[1] == 1 && device[4] == 2 && device[7] == 32 && device[8] == 0x34 &&
                device[9] == 0x12 && device[10] == 0x78 && device[11] == 0x56 && device[17] == 1);
        const auto* all =
            reinterpret_cast<const std::uint8_t*>(code.find<void>((name + "_configuration_descriptor").c_str()));
        const int total = all[2] | all[3] << 8;
        QCOMPARE(total, 67);
        int interfaces = 0, promised = 0;
        std::map<int, std::pair<int, int>> seen; // address -> type, size
        for (int at = 0; at < total; at += all[at]) {
            QVERIFY(all[at] >= 2 && at + all[at] <= total);
            if (all[at + 1] == 4) {
                ++interfaces;
                promised += all[at + 4];
            }
            if (all[at + 1] == 5)
                seen[all[at + 2]] = {all[at + 3], all[at + 4] | all[at + 5] << 8};
        }
        QCOMPARE(interfaces, int(all[4]));
        QCOMPARE(size_t(promised), seen.size());
        QVERIFY((seen == std::map<int, std::pair<int, int>>{{0x81, {2, 64}}, {0x01, {2, 64}}, {0x82, {3, 16}}}));

        for (const auto& [goal, value] : {std::pair{"vendor", "0"},
                                          {"endpoints", "1 in bulk 64"},
                                          {"endpoints", "1 in bulk 64, 1 out bulk 32, 2 in interrupt 8"},
                                          {"endpoints", "9 in bulk 64"},
                                          {"endpoints", "3 in isochronous 1000"},
                                          {"endpoints", "nonsense"}})
            QVERIFY2(hasFinding(*run(with(work, SetGoal{id, goal, value})), "GOAL-01", id), value);
    }
};

BINDREL_TEST(UsbTest)
#include "usb_test.moc"
