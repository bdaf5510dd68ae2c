#include <fmt/format.h>

#include "apps/cli/cli.h"
#include "core/media/footage.h"

namespace dusky::cli {
namespace {

int info(const std::string& path) {
  auto source = openFootage(path);
  if (!source.ok()) return failWith(source.error());
  const FootageInfo& i = (*source)->info();
  fmt::print("{}\n  kind     {}\n  picture  {}×{} px{}\n  frames   {} ({}–{})\n  rate     {:g} fps, {:.2f} s\n", i.path, i.kind, i.width, i.height,
             i.pixel_aspect == 1 ? "" : fmt::format(", pixels {:.4g} times as wide as high", i.pixel_aspect), i.frames(), i.first, i.last, i.fps,
             i.frames() / i.fps);
  if (i.focal_mm > 0) fmt::print("  focal    {:.4g} mm, says the file; take it as a hint, true to about 5 %\n", i.focal_mm);
  if (i.focal_35_mm > 0) fmt::print("  focal    {:.4g} mm on a 36 mm wide sensor, says the file; take it as a hint, true to about 10 %\n", i.focal_35_mm);
  for (const std::string& warning : i.warnings) fmt::print("  note     {}\n", warning);
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
