// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/block.h"

#include "tests/support/test_program.h"

#include <QtTest>

#include <random>

using namespace bindrel;

/// A field whose bits lie here and there, against a plain list of its bits.
class FieldTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void asTheDataSheetWritesIt()
    {
        // "9,3:0": five bits, the highest in bit 9.
        Field field;
        field.width = 5;
        field.pieces = {{0, 4}, {9, 1}};
        QCOMPARE(field.mask(), 0x20Fu);
        QCOMPARE(field.at(0x13), 0x203u);
        QCOMPARE(field.in(0xFFFFFDFFu), 0x0Fu);
        QCOMPARE(field.top(), 9);
        QCOMPARE(QString::fromStdString(field.bitsText()), QString("9,3:0"));
    }

    void everyShape()
    {
        std::mt19937 random(20'261'126);
        for (int round = 0; round < 2000; ++round) {
            // Pieces from bits that nobody has yet, in any order.
            Field field;
            field.width = 0;
            std::vector<int> bits; // of the register, by bit of the code
            std::uint32_t taken = 0;
            for (int tries = int(random() % 5) + 1; tries > 0; --tries) {
                const int low = int(random() % 32), count = 1 + int(random() % 6);
                std::uint32_t mask = 0;
                for (int b = low; b < std::min(low + count, 32); ++b)
                    mask |= 1u << b;
                if (taken & mask)
                    continue;
                taken |= mask;
                field.pieces.emplace_back(low, std::min(count, 32 - low));
                for (int b = low; b < std::min(low + count, 32); ++b)
                    bits.push_back(b);
            }
            field.width = int(bits.size());
            const std::uint32_t code = random(), word = random();
            std::uint32_t at = 0, in = 0;
            for (size_t b = 0; b < bits.size(); ++b) {
                at |= (code >> b & 1u) << bits[b];
                in |= (word >> bits[b] & 1u) << b;
            }
            QCOMPARE(field.at(code), at);
            QCOMPARE(field.in(word), in);
            QCOMPARE(field.mask(), taken);
            QCOMPARE(field.in(field.at(code)), code & field.maxCode());
            QCOMPARE(field.top(), *std::max_element(bits.begin(), bits.end()));
        }
    }
};

BINDREL_TEST(FieldTest)
#include "field_test.moc"
