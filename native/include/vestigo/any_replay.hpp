// vestigo/any_replay.hpp: a replay of any rules, fed batch by batch.
//
// This is where a policy's name becomes a type.
#pragma once

#include <algorithm>
#include <memory>
#include <optional>
#include <span>
#include <type_traits>
#include <utility>

#include "full/setting.hpp"
#include "policy/any.hpp"
#include "replay.hpp"

namespace vestigo {

// Where counting begins, and what is told of it.
struct Run {
  std::int64_t first_counted = 0;  // the first row of the trace after the warm-up
  Time counts_from = 0;            // its moment
  Loading loading = Loading::timed;
  std::size_t blocks_in_slice = 0;  // of the course; if it is 0, no course is kept
};

// What a replay is to tell of single reads and keys.
struct Watching {
  bool reads = false;
  bool keys = false;
  std::span<const Id> chosen;  // the entries (in the full replay: keys) whose log is wanted
  std::size_t rows = 0;        // how many entries, or keys, there are

  unsigned asks() const { return kAnswer * reads + kCount * keys + kLog * !chosen.empty(); }
};

// There is one virtual call for each batch, and none for an event.
class AnyReplay {
 public:
  AnyReplay() = default;
  AnyReplay(const AnyReplay&) = delete;
  AnyReplay& operator=(const AnyReplay&) = delete;
  virtual ~AnyReplay() = default;

  // Feeds the next events of the trace, at least one. `answers` is where the answers of their reads
  // go, if the replay tells of them.
  virtual void feed(const Columns& columns, const std::optional<Answers>& answers) = 0;

  // Ends the trace, and returns what was counted. Nothing can be replayed after this.
  virtual Ledger close() = 0;

  // What the witness saw, if there is one.
  virtual Testimony* testimony() = 0;
};

template <class Replay>
class ReplayBy final : public AnyReplay {
 public:
  template <class Setting>
  ReplayBy(Setting&& setting, Run how, Slices slices)
      : replay_(std::forward<Setting>(setting), std::move(slices)), how_(how) {
    if (how.blocks_in_slice > 0) replay_.ledger().keep_course(how.blocks_in_slice);
  }

  void feed(const Columns& columns,
            [[maybe_unused]] const std::optional<Answers>& answers) override {
    replay_.open(columns);
    if constexpr (sees) replay_.witness().open(columns.events, answers);
    const std::size_t warming = counting_ ? 0 : columns.rows_before(how_.first_counted);
    replay_.feed(columns, 0, warming);
    if (!counting_ && warming < columns.events) {
      counting_ = true;
      // In a part of the trace, the first row that counts can be another part's.
      const Time least = warming > 0 ? columns.at[warming - 1] : now_;
      const Time from = std::max(least, std::min(how_.counts_from, columns.at[warming]));
      replay_.catch_up(columns, from);
      replay_.count_from(from);
    }
    replay_.feed(columns, warming, columns.events);
    now_ = columns.at[columns.events - 1];
  }

  Ledger close() override {
    replay_.close(now_);
    if constexpr (sees) replay_.witness().keys.settle();
    return std::move(replay_.ledger());
  }

  Testimony* testimony() override {
    if constexpr (sees) return &replay_.witness();
    return nullptr;
  }

  void watch([[maybe_unused]] const Watching& watching) {
    if constexpr (sees) {
      if (watching.keys) replay_.witness().keys.want(watching.rows);
      replay_.log(watching.chosen);
    }
  }

 private:
  static constexpr bool sees =
      std::remove_cvref_t<decltype(std::declval<Replay>().witness())>::sees;

  Replay replay_;
  Run how_;
  bool counting_ = false;
  Time now_ = kGone;
};

template <class Policy, bool by_value>
std::unique_ptr<AnyReplay> begin_replay_of(const PlainSetting& setting, Run how, Slices slices) {
  if constexpr (by_value) {
    if (how.loading == Loading::served)
      return std::make_unique<ReplayBy<PlainReplay<Policy, Loading::served, by_value>>>(
          setting, how, std::move(slices));
  }
  switch (how.loading) {
    case Loading::timed:
      return std::make_unique<ReplayBy<PlainReplay<Policy, Loading::timed, by_value>>>(
          setting, how, std::move(slices));
    case Loading::spared:
      return std::make_unique<ReplayBy<PlainReplay<Policy, Loading::spared, by_value>>>(
          setting, how, std::move(slices));
    default:
      return std::make_unique<ReplayBy<PlainReplay<Policy, Loading::instant, by_value>>>(
          setting, how, std::move(slices));
  }
}

// The same with a witness.
template <class Policy, bool by_value, unsigned may>
std::unique_ptr<AnyReplay> begin_watched_replay_of(const PlainSetting& setting, Run how,
                                                   Slices slices, const Watching& watching) {
  const auto begin = [&]<Loading loading>() -> std::unique_ptr<AnyReplay> {
    auto made = std::make_unique<ReplayBy<PlainReplay<Policy, loading, by_value, Witness<may>>>>(
        setting, how, std::move(slices));
    made->watch(watching);
    return made;
  };
  return how.loading == Loading::timed ? begin.template operator()<Loading::timed>()
                                       : begin.template operator()<Loading::instant>();
}

// The full replay (see full/replay.hpp). It is compiled on its own.
std::unique_ptr<AnyReplay> begin_full_replay(full::Setting setting, Run how, Slices slices,
                                             const std::optional<Watching>& watching);

// Each is compiled on its own if the build says so (CMakeLists.txt), so that they are compiled side
// by side.
#ifdef VESTIGO_BUILT_APART
extern template std::unique_ptr<AnyReplay> begin_replay_of<policy::Lru, false>(const PlainSetting&,
                                                                               Run, Slices);
extern template std::unique_ptr<AnyReplay> begin_replay_of<policy::Lru, true>(const PlainSetting&,
                                                                              Run, Slices);
extern template std::unique_ptr<AnyReplay> begin_replay_of<policy::Fifo, false>(const PlainSetting&,
                                                                                Run, Slices);
extern template std::unique_ptr<AnyReplay> begin_replay_of<policy::Any, false>(const PlainSetting&,
                                                                               Run, Slices);
extern template std::unique_ptr<AnyReplay> begin_replay_of<policy::Any, true>(const PlainSetting&,
                                                                              Run, Slices);
extern template std::unique_ptr<AnyReplay> begin_watched_replay_of<policy::Lru, false, kAnswer>(
    const PlainSetting&, Run, Slices, const Watching&);
extern template std::unique_ptr<AnyReplay> begin_watched_replay_of<policy::Lru, false, kCount>(
    const PlainSetting&, Run, Slices, const Watching&);
extern template std::unique_ptr<AnyReplay> begin_watched_replay_of<policy::Lru, false, kLog>(
    const PlainSetting&, Run, Slices, const Watching&);
extern template std::unique_ptr<AnyReplay> begin_watched_replay_of<policy::Any, true, kAll>(
    const PlainSetting&, Run, Slices, const Watching&);
#endif

// The most common policies have a replay of their own. The others, and plans that mix policies,
// share one.
inline std::unique_ptr<AnyReplay> begin_replay(const PlainSetting& setting, Run how, Slices slices,
                                               const std::optional<Watching>& watching = {}) {
  const auto all = [&setting](Eviction policy) {
    return std::all_of(setting.pools.begin(), setting.pools.end(),
                       [policy](const PoolRules& pool) { return pool.evicts_by(policy); });
  };
  const bool by_value = how.loading == Loading::served ||
                        std::any_of(setting.value_rules.begin(), setting.value_rules.end(),
                                    [](const ValueRules& rules) { return rules != ValueRules{}; });
  if (watching) {
    auto begin = begin_watched_replay_of<policy::Any, true, kAll>;
    const bool commonest = all(Eviction::Lru) && !by_value;
    if (commonest && watching->asks() == kAnswer)
      begin = begin_watched_replay_of<policy::Lru, false, kAnswer>;
    if (commonest && watching->asks() == kCount)
      begin = begin_watched_replay_of<policy::Lru, false, kCount>;
    if (commonest && watching->asks() == kLog)
      begin = begin_watched_replay_of<policy::Lru, false, kLog>;
    return begin(setting, how, std::move(slices), *watching);
  }
  if (by_value)
    return (all(Eviction::Lru)
                ? begin_replay_of<policy::Lru, true>
                : begin_replay_of<policy::Any, true>)(setting, how, std::move(slices));
  if (all(Eviction::Lru))
    return begin_replay_of<policy::Lru, false>(setting, how, std::move(slices));
  if (all(Eviction::Fifo))
    return begin_replay_of<policy::Fifo, false>(setting, how, std::move(slices));
  return begin_replay_of<policy::Any, false>(setting, how, std::move(slices));
}

}  // namespace vestigo
