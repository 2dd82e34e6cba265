// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/encoding.h"

#include "tests/support/test_program.h"

#include <QtTest>

using namespace bindrel;

/// Every encoding against plain enumeration of its codes.
class EncodingTest : public QObject {
    Q_OBJECT

    static std::vector<Encoding> all()
    {
        std::vector<Encoding> out(5);
        out[1].kind = Encoding::Kind::MinusOne;
        out[2].kind = Encoding::Kind::PowerOfTwo;
        out[3].kind = Encoding::Kind::Table;
        out[3].table = {{16, 0}, {8, 1}, {3, 7}};
        out[4].kind = Encoding::Kind::Piecewise;
        out[4].segments = {{0, 127, 0, 1}, {128, 191, 128, 2}, {192, 255, 256, 8}};
        return out;
    }

private Q_SLOTS:
    void everyCodeThatMeansSomethingRoundTrips()
    {
        for (const Encoding& e : all())
            for (uint32_t code = 0; code < 256; ++code)
                if (const auto value = e.decode(code))
                    QCOMPARE(e.encode(*value), std::optional(code));
    }

    void atLeastNearestAndLargestAgreeWithEnumeration()
    {
        for (const Encoding& e : all())
            for (const uint32_t maxCode : {7u, 63u, 255u}) {
                std::vector<int64_t> values;
                for (uint32_t code = 0; code <= maxCode; ++code)
                    if (const auto value = e.decode(code))
                        values.push_back(*value);
                QCOMPARE(e.largest(maxCode), *std::max_element(values.begin(), values.end()));
                for (int64_t wanted = 0; wanted < 900; ++wanted) {
                    std::optional<int64_t> least, near;
                    for (const int64_t v : values) {
                        if (v >= wanted && (!least || v < *least))
                            least = v;
                        if (!near || std::abs(v - wanted) < std::abs(*near - wanted) ||
                            (std::abs(v - wanted) == std::abs(*near - wanted) && v > *near))
                            near = v;
                    }
                    QCOMPARE(e.atLeast(wanted, maxCode), least);
                    QCOMPARE(e.nearest(wanted, maxCode), near);
                }
            }
    }
};

BINDREL_TEST(EncodingTest)
#include "encoding_test.moc"
