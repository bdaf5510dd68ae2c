#include "core/deliver/delivery.h"

#include <fmt/format.h>

#include <thread>

#include "core/base/atomic_file.h"
#include "core/base/staging_folder.h"
#include "core/deliver/exporter.h"
#include "core/media/write_picture.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

std::vector<const Exporter*> chosenOf(const DeliveryChoices& choices) {
  std::vector<const Exporter*> chosen;
  for (const Exporter& exporter : exporters()) {
    if (choices.wants(exporter.name)) chosen.push_back(&exporter);
  }
  return chosen;
}

std::uintmax_t bytesOf(const fs::path& path) {
  std::error_code failed;
  if (!fs::is_directory(path, failed)) return fs::file_size(path, failed);
  std::uintmax_t bytes = 0;
  for (const auto& entry : fs::recursive_directory_iterator(path, failed)) {
    if (entry.is_regular_file(failed)) bytes += entry.file_size(failed);
  }
  return bytes;
}

Status checkPictures(const DeliveryInput& input, const std::vector<const Exporter*>& chosen) {
  for (const Exporter* exporter : chosen) {
    if (exporter->needs_pictures && !input.open_footage)
      return invalidInput(fmt::format("\"{}\" needs the footage's pictures: this shot is 2D tracks without any.", exporter->name));
  }
  return Done{};
}

/// What is made of dense points needs some.
Status checkDense(const DeliveryInput& input, const DeliveryChoices& choices, const std::vector<const Exporter*>& chosen) {
  if (input.open_dense && input.open_surface) return Done{};
  const auto needs = std::find_if(chosen.begin(), chosen.end(), [](const Exporter* exporter) { return exporter->needs_dense; });
  const bool splat = choices.splat.dense && choices.wants("splat-set");
  if (needs == chosen.end() && !splat) return Done{};
  return invalidInput(fmt::format("\"{}\" needs dense points, and there are none of this solve: make them first (step Dense, or moth dense).",
                                  needs != chosen.end() ? (*needs)->name : "splat-set"));
}

/// All of them into a folder; files come in one step, pictures take their time.
Status writeAll(const DeliveryInput& input, const DeliveryChoices& choices, const std::vector<const Exporter*>& chosen, const fs::path& folder,
                const Progress& progress) {
  const auto view = viewOf(input, choices);
  if (!view.ok()) return view.error();
  constexpr double kQuick = 0.03;
  double all = 0, done = 0;
  for (const Exporter* exporter : chosen) all += exporter->needs_pictures ? 1 : kQuick;
  for (const Exporter* exporter : chosen) {
    if (progress.stopRequested()) return cancelled();
    const double next = done + (exporter->needs_pictures ? 1 : kQuick) / all;
    progress.report(done, fmt::format("writing {}", exporter->name));
    if (const Status written = exporter->write(input, choices, *view, folder, progress.part(done, std::min(1.0, next))); !written.ok()) return written;
    done = std::min(1.0, next);
  }
  return Done{};
}

std::vector<DeliveredFile> listOf(const std::vector<const Exporter*>& chosen, const DeliveryChoices& choices, const fs::path& folder) {
  std::vector<DeliveredFile> files;
  for (const Exporter* exporter : chosen) {
    for (const std::string& name : exporter->makes(choices)) files.push_back({folder / name, std::string(exporter->what), bytesOf(folder / name)});
  }
  return files;
}

/// What failed stays to be looked at, under a name that nobody takes for a delivery.
Status keepFailed(StagingFolder& staging, const fs::path& folder, Delivered& delivered) {
  constexpr const char* kFailed = "failed-delivery";
  if (const Status kept = staging.placeAllAs(kFailed); !kept.ok()) return kept;
  for (DeliveredFile& file : delivered.files) file.path = folder / kFailed / file.path.filename();
  return Done{};
}

}  // namespace

std::vector<fs::path> deliveryFiles(const fs::path& folder, const DeliveryChoices& choices) {
  std::vector<fs::path> files;
  for (const Exporter* exporter : chosenOf(choices)) {
    for (const std::string& name : exporter->makes(choices)) files.push_back(folder / name);
  }
  if (choices.receipt) files.push_back(folder / kReceiptName), files.push_back(folder / kReceiptPage);
  return files;
}

Result<Delivered> deliver(const DeliveryInput& input, const DeliveryChoices& choices, const fs::path& folder, const Progress& progress) {
  if (const Status fine = choices.check(); !fine.ok()) return fine.error();
  const auto chosen = chosenOf(choices);
  if (const Status fine = checkPictures(input, chosen); !fine.ok()) return fine.error();
  if (const Status fine = checkDense(input, choices, chosen); !fine.ok()) return fine.error();
  const std::jthread loading = choices.receipt && input.open_footage ? expectPictures() : std::jthread();
  if (const Status made = makeFolder(folder); !made.ok()) return made.error();
  auto staging = StagingFolder::in(folder);
  if (!staging.ok()) return staging.error();
  if (const Status written = writeAll(input, choices, chosen, staging->path(), progress.part(0, 0.9)); !written.ok()) return written.error();
  Delivered delivered;
  if (choices.receipt) {
    auto receipt = checkDelivery(input, choices, staging->path(), progress.part(0.9, 1));
    if (!receipt.ok()) return receipt.error();
    if (const Status put = writeFileAtomically(staging->path() / kReceiptName, receipt->json()); !put.ok()) return put.error();
    if (const Status put = writeFileAtomically(staging->path() / kReceiptPage, receipt->html(input.shot)); !put.ok()) return put.error();
    if (!receipt->picture.empty()) {
      if (const Status put = writePicture(staging->path() / kReceiptPicture, receipt->picture); !put.ok()) return put.error();
    }
    delivered.receipt = std::move(*receipt);
  }
  delivered.files = listOf(chosen, choices, staging->path());
  if (delivered.receipt) {
    for (const auto& [name, what] : {std::pair(kReceiptName, "what reading it all back found"),
                                     {kReceiptPage, "the same as a page"},
                                     {kReceiptPicture, "points through the delivered camera"}}) {
      std::error_code missing;
      if (fs::exists(staging->path() / name, missing)) delivered.files.push_back({staging->path() / name, what, bytesOf(staging->path() / name)});
    }
  }
  if (delivered.receipt && !delivered.receipt->passed()) {
    if (const Status kept = keepFailed(*staging, folder, delivered); !kept.ok()) return kept.error();
    return delivered;
  }
  std::vector<fs::path> names;
  for (DeliveredFile& file : delivered.files) {
    names.push_back(file.path.filename());
    file.path = folder / names.back();
  }
  if (const Status placed = staging->place(names); !placed.ok()) return placed.error();
  return delivered;
}

}  // namespace dusky
