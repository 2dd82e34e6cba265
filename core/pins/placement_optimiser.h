// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/placement_model.h"

namespace bindrel {

/// Makes a way better, one level of the cost after the other, from both ends: what is found bounds the best from above,
/// sets of statements that cannot all be avoided (cores) from below. A level that is not settled within its share of
/// the effort keeps what it has, and says how far that may be from the best.
class PlacementOptimiser {
public:
    using Improved =
        std::function<void(const PlacementModel::Assignment&, const PlacementCost&, const PlacementProof&)>;
    PlacementOptimiser(PlacementModel& model, Improved improved) : model_(model), improved_(std::move(improved)) {}

    struct Best {
        PlacementModel::Assignment way;
        PlacementCost cost;
        PlacementProof proof;
    };
    /// The best way among those that the model allows now. No: there is none.
    Solver::Answer run(Best& best, long effort);

private:
    /// Statements that cost, and the sums of them that were found to be unavoidable (the scheme of Morgado, Dodaro and
    /// Marques-Silva, 2014).
    struct Cores {
        std::map<Literal, long> weights;
        struct Sum {
            std::vector<Literal> of;
            int count; ///< the literal says that at least so many of them are so
        };
        std::map<Literal, Sum> sums;
        long lower = 0, stratum = 0;
        bool begun = false;
    };

    struct Level {
        PlacementLevel which;
        const PlacementModel::Sum* sum = nullptr;
        Literal better; ///< asks for less than the best so far
        int bound = -1;
        long all = 0; ///< what the terms come to at most
        Cores cores;
        bool settled = false;
        std::map<Literal, int> inVain; ///< how often each was tried to be avoided
        std::size_t together = 4;      ///< so many are tried at once
    };

    bool isLarge() const;
    long firstSlice() const;
    Solver::Answer findFirst(long effort);
    void keep();
    void optimise(Level& level, long effort);
    void learnNewValues();
    bool take(Level& level);
    void tryEach(Level& level, long effort);
    long effortOfSame();
    void tryAll(Level& level, long effort);
    void tryParts(Level& level, long effort);
    void raise(Level& level, long effort) { raise(level, effort, Solver::Manner::Guided); }
    void raisePlainly(Level& level, long effort) { raise(level, effort, Solver::Manner::Plain); }
    void raise(Level& level, long effort, Solver::Manner manner);
    bool addCore(Level& level, std::vector<Literal> core);
    void reduce(std::vector<Literal>& core);
    Literal atLeast(const std::vector<Literal>& of, int count);
    void close(Level& level);
    void setBetter(Level& level);
    std::vector<bool> neighbourhood(const Level& level, std::size_t size);
    bool isBetter(const PlacementCost& a, const PlacementCost& b) const;
    unsigned random(unsigned below);

    PlacementModel& model_;
    Improved improved_;
    Literal gate_;
    Best* best_ = nullptr;
    std::vector<bool> valuesOfBest_; ///< by variable
    long effortOfSame_ = 0;          ///< 0: not known yet
    std::uint32_t seed_ = 1;
    std::size_t size_ = 3; ///< of neighbourhoods, in needs
};

} // namespace bindrel
