#pragma once
#include <CLI/CLI.hpp>
#include <cstdio>
#include <stop_token>

#include "core/base/result.h"

namespace dusky::cli {

// Exit codes of the contract.
inline constexpr int kSolved = 0, kBadInput = 2, kSolvedInPart = 3, kCouldNotSolve = 4, kNotTrusted = 5, kReceiptFailed = 6, kCancelled = 130;

/// Where sentences for the artist go: standard error, as it was when the program began.
std::FILE* errors();
void setErrors(std::FILE* stream);

/// The exit code for an error, after printing its sentence to standard error.
int failWith(const Error& error);

/// Runs the program; `stop` is asked during long work.
int run(int argc, const char* const* argv, std::stop_token stop);

// Each adds its command; `code` gets the exit code when it ran.
void addSolve(CLI::App& app, std::stop_token stop, int& code);
void addTrack(CLI::App& app, std::stop_token stop, int& code);
void addSweep(CLI::App& app, std::stop_token stop, int& code);
void addMask(CLI::App& app, std::stop_token stop, int& code);
void addPrune(CLI::App& app, std::stop_token stop, int& code);
void addReview(CLI::App& app, std::stop_token stop, int& code);
void addDense(CLI::App& app, std::stop_token stop, int& code);
void addDeliver(CLI::App& app, std::stop_token stop, int& code);
void addFrames(CLI::App& app, std::stop_token stop, int& code);
void addCompare(CLI::App& app, int& code);
void addInfo(CLI::App& app, int& code);
void addRuns(CLI::App& app, int& code);
void addScene(CLI::App& app, int& code);

}  // namespace dusky::cli
