// The full replay, compiled on its own.
#include "vestigo/full/replay.hpp"

#include "vestigo/any_replay.hpp"

namespace vestigo {

std::unique_ptr<AnyReplay> begin_full_replay(full::Setting setting, Run how, Slices slices,
                                             const std::optional<Watching>& watching) {
  if (!watching)
    return std::make_unique<ReplayBy<full::Replay<>>>(std::move(setting), how, std::move(slices));
  auto made = std::make_unique<ReplayBy<full::Replay<Witness<kAll>>>>(std::move(setting), how,
                                                                      std::move(slices));
  made->watch(*watching);
  return made;
}

}  // namespace vestigo
