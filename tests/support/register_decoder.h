// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

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
        switch (bits(kClk + 0x20, 2, 0)) {
        case 0:
            return 16e6;
        case 1:
            return 12e6;
        default:
            return vcoA() / (bits(kClk + 0x14, 3, 0) + 1);
        }
    }
    double vcoA() const
    {
        const std::uint32_t source = bits(kClk + 0x10, 1, 0);
        const double in = source == 1 ? 16e6 : source == 2 ? 12e6 : 0;
        return bits(kClk + 0x0C, 0, 0) ? in / (bits(kClk + 0x10, 7, 4) + 1) * bits(kClk + 0x10, 14, 8) : 0;
    }
    double cpu() const { return system() / (1u << bits(kClk + 0x20, 6, 4)); }
    double bus1() const { return cpu() / (1u << bits(kClk + 0x20, 10, 8)); }
    double bus2() const { return cpu() / (1u << bits(kClk + 0x20, 14, 12)); }
    double timers2() const { return bits(kClk + 0x20, 14, 12) == 0 ? bus2() : 2 * bus2(); }
    double timers1() const { return bits(kClk + 0x20, 10, 8) == 0 ? bus1() : 2 * bus1(); }
    std::uint32_t waitStates() const { return bits(0x48002000, 3, 0); }
    std::uint32_t range() const { return bits(0x48001004, 1, 0); }

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
        const std::uint32_t code = bits(kMotor + 0x20, 15, 8);
        const double ticks = code < 128 ? code : code < 192 ? 128 + 2.0 * (code - 128) : 256 + 8.0 * (code - 192);
        return ticks / kernel;
    }
    double motorDuty(int channel) const { return double(bits(kMotor + 8 + 4u * std::uint32_t(channel), 15, 0)) / bits(kMotor + 8, 15, 0); }
    /// Low and high phase in seconds as the pins show them, without the analog edges.
    double i2cLow(std::uint32_t base, double kernel) const { return (bits(base + 4, 9, 0) + 1) * double(1u << bits(base + 4, 26, 24)) / kernel; }
    double i2cHigh(std::uint32_t base, double kernel) const
    {
        return (bits(base + 4, 19, 10) + 1) * double(1u << bits(base + 4, 26, 24)) / kernel + (3 + bits(base, 7, 4)) / kernel;
    }
    /// FUNC of a pad: port 0 is A.
    std::uint32_t function(int port, int bit) const { return bits(kPorts + 0x400u * std::uint32_t(port) + 4u * std::uint32_t(bit), 3, 0); }
    std::uint32_t padBits(int port, int bit, int high, int low) const { return bits(kPorts + 0x400u * std::uint32_t(port) + 4u * std::uint32_t(bit), high, low); }
    bool level(int port, int bit) const { return bits(kPorts + 0x400u * std::uint32_t(port) + 0x40, bit, bit) != 0; }
    bool gate1(int bit) const { return bits(kClk + 0x30, bit, bit) != 0; }
    bool gate2(int bit) const { return bits(kClk + 0x34, bit, bit) != 0; }

    static constexpr std::uint32_t kClk = 0x48000000, kMotor = 0x43004000, kPorts = 0x49000000;

private:
    static std::uint32_t resetOf(std::uint32_t address)
    {
        switch (address) {
        case kClk + 0x04:
        case 0x48001004:
            return 1;
        case kClk + 0x10:
        case kClk + 0x18:
            return 0x0800;
        case kClk + 0x14:
            return 0x0101;
        case kClk + 0x1C:
            return 0x0100;
        case kMotor + 8:
            return 0xFFFF;
        default:
            return 0;
        }
    }
    std::map<std::uint32_t, std::uint32_t> words_;
};

} // namespace bindrel::test
