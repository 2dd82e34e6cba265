// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <string>

/// Reads the meaning of the SE43's registers from raw words, by a hand-written table of addresses and bits that shares
/// nothing with the device file or the code that writes registers. It is what a person with the data sheet would do.
namespace bindrel::test {

class Se43 {
public:
    /// Words by address; what is missing reads as it resets.
    explicit Se43(std::map<std::uint32_t, std::uint32_t> words) : words_(std::move(words)) {}

    std::uint32_t bits(std::uint32_t address, int high, int low) const
    {
        const auto found = words_.find(address);
        const std::uint32_t word = found == words_.end() ? resetOf(address) : found->second;
        return word >> low & (high - low == 31 ? 0xFFFFFFFFu : (1u << (high - low + 1)) - 1);
    }

    /// Hertz of the system clock, with a 12 MHz crystal.
    double system() const
    {
        switch (bits(kClk + 0x1C, 2, 0)) {
        case 0:
            return 20e6;
        case 1:
            return 12e6;
        default:
            return vcoA() / std::array{2.0, 2.5, 3.0, 3.5, 4.0, 5.0, 6.0, 8.0}[bits(kClk + 0x14, 2, 0)];
        }
    }
    double vcoA() const
    {
        const std::uint32_t source = bits(kClk + 0x10, 1, 0);
        const double in = source == 1 ? 20e6 : source == 2 ? 12e6 : 0;
        return bits(kClk + 0x0C, 0, 0) ? in / (bits(kClk + 0x10, 7, 4) + 1) * bits(kClk + 0x10, 14, 8) : 0;
    }
    double cpu() const { return system() / (bits(kClk + 0x1C, 7, 4) + 1); }
    double bus1() const { return cpu() / std::array{1, 2, 3, 4, 6, 8, 0, 0}[bits(kClk + 0x1C, 10, 8)]; }
    double bus2() const { return cpu() / (bits(kClk + 0x1C, 13, 12) + 1); }
    double aux() const { return vcoA() / (bits(kClk + 0x14, 12, 8) + 3); }
    double timers1() const { return std::array{bus1(), cpu(), aux(), 0.0}[bits(kClk + 0x24, 13, 12)]; }
    double timers2() const { return std::array{bus2(), cpu(), aux(), 0.0}[bits(kClk + 0x24, 15, 14)]; }
    double drive() const { return std::array{bus2(), cpu(), aux(), 0.0}[bits(kClk + 0x24, 1, 0)]; }
    std::uint32_t waitStates() const { return bits(kFlash, 6, 4); }
    std::uint32_t range() const { return bits(kRegulator + 4, 1, 0); }

    double uartBaud(std::uint32_t base, double kernel) const
    {
        const double samples = bits(base, 3, 3) ? 8 : 16;
        return kernel * 16 / (samples * bits(base + 4, 19, 0));
    }
    double motorFrequency(double kernel) const
    {
        const double ticks = double(bits(kMotor + 8, 15, 0)) * (bits(kMotor, 1, 1) ? 2 : 1);
        return kernel / (double(bits(kMotor + 4, 15, 0) + 1) * ticks);
    }
    double motorDeadTime(double kernel) const
    {
        const std::uint32_t code = bits(kMotor + 0x20, 14, 8);
        const double ticks = code < 64 ? code : code < 96 ? 64 + 4.0 * (code - 64) : 192 + 16.0 * (code - 96);
        return ticks / kernel;
    }
    double motorDuty(int channel) const
    {
        return double(bits(kMotor + 8 + 4u * std::uint32_t(channel), 15, 0)) / bits(kMotor + 8, 15, 0);
    }
    /// Low and high phase in seconds as the pins show them, without the analog edges.
    double i2cLow(std::uint32_t base, double kernel) const
    {
        return (bits(base + 4, 9, 0) + 1) * double(1u << bits(base + 4, 26, 24)) / kernel;
    }
    double i2cHigh(std::uint32_t base, double kernel) const
    {
        return (bits(base + 4, 19, 10) + 1) * double(1u << bits(base + 4, 26, 24)) / kernel +
               (3 + bits(base, 7, 4)) / kernel;
    }
    /// FUNC of a pad: port 0 is A.
    std::uint32_t function(int port, int bit) const
    {
        return bits(kPorts + kPortStride * std::uint32_t(port) + 4u * std::uint32_t(bit), 3, 0);
    }
    std::uint32_t padBits(int port, int bit, int high, int low) const
    {
        return bits(kPorts + kPortStride * std::uint32_t(port) + 4u * std::uint32_t(bit), high, low);
    }
    bool level(int port, int bit) const
    {
        return bits(kPorts + kPortStride * std::uint32_t(port) + 0x40, bit, bit) != 0;
    }
    bool gate1(int bit) const { return bits(kClk + 0x2C, bit, bit) != 0; }
    bool gate2(int bit) const { return bits(kClk + 0x30, bit, bit) != 0; }

    static constexpr std::uint32_t kClk = 0x4D000000, kRegulator = 0x4D000D00, kFlash = 0x4D001A00, kPorts = 0x4D002700,
                                   kPortStride = 0xD00, kEdges = 0x4D005B00, kUart1 = 0x4D007500, kI2c2 = 0x4D00B600,
                                   kMotor = 0x4D00F700;

private:
    static std::uint32_t resetOf(std::uint32_t address)
    {
        switch (address) {
        case kClk + 0x04:
        case kRegulator + 0x04:
            return 1;
        case kClk + 0x10:
            return 0x0A00;
        case kClk + 0x18:
            return 0x0600;
        case kClk + 0x14:
            return 0x0101;
        case kMotor + 8:
            return 0xFFFF;
        default:
            return 0;
        }
    }
    std::map<std::uint32_t, std::uint32_t> words_;
};

} // namespace bindrel::test
