#include <fmt/format.h>

#include "apps/cli/cli.h"
#include "core/media/footage.h"

namespace dusky::cli {
namespace {

int info(const std::string& path) {
  auto source = openFootage(path);
  if (!source.ok()) return failWith(source.error());
  const FootageInfo& i = (*source)->info();
  fmt::print("{}\n  kind     {}\n  picture  {}×{} px\n  frames   {} ({}–{})\n  rate     {:g} fps, {:.2f} s\n", i.path, i.kind, i.width, i.height, i.frames(),
             i.first, i.last, i.fps, i.frames() / i.fps);
  return kSolved;
}

}  // namespace

void addInfo(CLI::App& app, int& code) {
  auto* command = app.add_subcommand("info", "What is in a movie or an image sequence: size, frames, rate.");
  auto path = std::make_shared<std::string>();
  command->add_option("FOOTAGE", *path, "A movie, one picture of a sequence, or a folder with one sequence")->required();
  command->callback([path, &code] { code = info(*path); });
}

}  // namespace dusky::cli
