// vestigo/changing.hpp: what writes do in the plain replay, and bad moments.
#pragma once

#include <algorithm>
#include <vector>

#include "loading.hpp"

namespace vestigo {

template <class Policy, Loading loading, bool by_value, class Seen>
class PlainChanging : protected PlainLoading<Policy, loading, by_value, Seen> {
 protected:
  using Base = PlainLoading<Policy, loading, by_value, Seen>;
  using Base::delayed_, Base::foresee, Base::loads_, Base::pending_, Base::pools_, Base::store;
  using Base::timed, Base::serves, Base::spares, Base::foresees;
  using typename Base::Group;

  PlainChanging(const PlainSetting& setting, Slices slices) : Base(setting, std::move(slices)) {
    for (std::size_t lookup = 0; lookup < setting.clears.size(); ++lookup) {
      for (const Time at : setting.clears[lookup]) clears_.push_back({at, lookup});
    }
    std::sort(clears_.begin(), clears_.end(),
              [](const Clear& a, const Clear& b) { return a.at < b.at; });
    if constexpr (spares) {
      reach_.assign(static_cast<std::size_t>(pools_.entries.keys()), kGone);
      news_take_ = setting.news_take;
    }
  }

  // When the next look-up is cleared by schedule.
  Time next_clear() const { return clear_ < clears_.size() ? clears_[clear_].at : kNever; }

  // Clears all groups that are due, at once.
  void clear_groups(Time due) {
    std::vector<bool> goes(pools_.ledger.tallies().size());
    const std::size_t before = clear_;
    for (; clear_ < clears_.size() && clears_[clear_].at <= due; ++clear_)
      goes[clears_[clear_].lookup] = true;
    if (clear_ == before) return;
    pools_.ledger.at_step(Step::clear, 0);
    pools_.empty([&](const Group& group) { return goes[index(group.lookup)]; }, kCleared, kClears,
                 due);
  }

  void write(const Columns& columns, std::size_t i, Entry& entry, Time now) {
    const Id truth = columns.stretch[i];
    if constexpr (spares) reach(columns.key[i], now + news_take_);
    Group& group = pools_.groups[entry.group];
    const Rules& rules = group.rules;
    if constexpr (foresees) foresee(columns, i, group, entry);
    const WriteDoes does = write_does(rules, truth);
    if (does == WriteDoes::drop) drop(columns.key[i], now);
    if (does == WriteDoes::put && store(group, entry, columns.key[i], truth, columns.size[i], now,
                                        columns.cost[i], now, true))
      pools_.put(columns.key[i]);
    tell(columns.key[i], false, now);
  }

  void drop(Id key, Time now) {
    Entry& entry = pools_.entries[key];
    if constexpr (timed) {
      if (entry.records()) entry.set(Entry::kDropMissed);
      if (entry.more_loads()) loads_.mark_raced(key);
    }
    if (entry.held()) pools_.leave(pools_.groups[entry.group], entry, kDropped, kDrops, now);
  }

  // The other nodes hear of a write, which may come from none of the caches, and drop what they
  // have of its key.
  void tell(Id key, bool came_from_none, Time now) {
    if (pools_.groups[pools_.entries[key].group].rules.tell_nodes == TellNodes::nothing) return;
    for (const Id entry : pools_.hearing(key, came_from_none)) drop(entry, now);
  }

  // The program takes an entry out of its own cache. Ceilings keep it: a load under way could bring
  // it back.
  void take_out(Entry& entry, Time now) {
    if (!spares && entry.held())
      pools_.leave(pools_.groups[entry.group], entry, kDropped, kDrops, now);
  }

  // Whether a group belongs to one look-up (or any), and to one node (or any).
  void clear(Id lookup, Id node, Time now) {
    const auto goes = [&](const Group& group) {
      return (lookup == kNone || group.lookup == lookup) && group.is_on(node);
    };
    if constexpr (spares) {
      pools_.empty_in_part(
          goes, [&](Id key) { return reach_[index(key)] <= now; }, kCleared, kClears, now);
    } else {
      pools_.empty(goes, kCleared, kClears, now);
    }
  }

  // The latest moment at which what an event of the key brings is there.
  void reach(Id key, Time at) {
    Time& last = reach_[index(key)];
    last = std::max(last, at);
  }

  void restart(const Columns& columns, Id node, Time now) {
    std::vector<Id> given_up;
    const auto gives_up = [&](Id load, Id key) {
      Entry& entry = pools_.entries[key];
      if (!pools_.groups[entry.group].is_on(node)) return false;
      if (entry.records() && entry.load == load) {
        entry.forget_load();
      } else {
        loads_.finish(key, load, entry);
      }
      given_up.push_back(key);
      return true;
    };
    if constexpr (timed) {
      pending_.abandon(columns.ends,
                       [&](Id load) { return gives_up(load, columns.ends.key[load]); });
    }
    if constexpr (serves) delayed_.abandon(gives_up);
    pools_.empty(
        [&](const Group& group) { return !group.rules.survives_restart && group.is_on(node); },
        kRestarted, kLost, now);
    for (const Id key : given_up) {
      Entry& entry = pools_.entries[key];
      if (!entry.held()) entry.miss_out(kRestarted);
    }
  }

 private:
  // A look-up that is cleared by schedule.
  struct Clear {
    Time at;
    std::size_t lookup;
  };

  std::vector<Time> reach_;  // for each entry, if clears spare some
  Time news_take_ = 0;
  std::vector<Clear> clears_;
  std::size_t clear_ = 0;  // the next of them
};

}  // namespace vestigo
