// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <map>
#include <mutex>
#include <optional>
#include <string>
#include <utility>

namespace bindrel {

/// What was worked out before, by all that it depends on; for several threads. Forgets everything once it holds more
/// than `most` bytes.
class TextCache {
public:
    explicit TextCache(std::size_t most) : most_(most) {}

    std::optional<std::string> find(const std::string& key)
    {
        const std::lock_guard lock(mutex_);
        const auto known = texts_.find(key);
        return known == texts_.end() ? std::nullopt : std::optional(known->second);
    }
    void keep(std::string key, std::string text)
    {
        const std::lock_guard lock(mutex_);
        if (bytes_ > most_) {
            texts_.clear();
            bytes_ = 0;
        }
        bytes_ += key.size() + text.size();
        texts_.insert_or_assign(std::move(key), std::move(text));
    }

private:
    std::size_t most_;
    std::mutex mutex_;
    std::map<std::string, std::string> texts_;
    std::size_t bytes_ = 0;
};

} // namespace bindrel
