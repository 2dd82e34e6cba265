// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <unistd.h>
#include <utility>

namespace bindrel {

/// A file descriptor that is closed when its owner goes.
class Descriptor {
public:
    Descriptor() = default;
    explicit Descriptor(int fd) : fd_(fd) {}
    ~Descriptor() { (void)closeNow(); }
    Descriptor(Descriptor&& other) noexcept : fd_(std::exchange(other.fd_, -1)) {}
    Descriptor& operator=(Descriptor&& other) noexcept
    {
        if (this != &other) {
            (void)closeNow();
            fd_ = std::exchange(other.fd_, -1);
        }
        return *this;
    }

    bool isOpen() const { return fd_ >= 0; }
    int get() const { return fd_; }
    /// What close(2) says: some file systems tell only then that the bytes did not fit.
    int closeNow() { return fd_ < 0 ? 0 : ::close(std::exchange(fd_, -1)); }

private:
    int fd_ = -1;
};

} // namespace bindrel
