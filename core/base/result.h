#pragma once
#include <cassert>
#include <string>
#include <utility>
#include <variant>

namespace dusky {

enum class ErrorKind {
  InvalidInput,  ///< An argument, option or edit that cannot be taken.
  Unreadable,    ///< A file that is missing, broken or not what it says.
  CannotSolve,   ///< The footage does not hold what a camera needs; the message says what is missing.
  CannotWrite,   ///< A file that could not be written; nothing stands under its final name.
  Cancelled,     ///< The artist stopped it.
};

/// One sentence for the artist: what, where, what to do.
struct Error {
  ErrorKind kind = ErrorKind::InvalidInput;
  std::string message;
};

/// A value or an Error. Never both, never neither.
template <class T>
class [[nodiscard]] Result {
 public:
  Result(T value) : state_(std::move(value)) {}
  Result(Error error) : state_(std::move(error)) {}

  bool ok() const { return std::holds_alternative<T>(state_); }
  explicit operator bool() const { return ok(); }

  T& value() {
    assert(ok());
    return std::get<T>(state_);
  }
  const T& value() const {
    assert(ok());
    return std::get<T>(state_);
  }
  T& operator*() { return value(); }
  const T& operator*() const { return value(); }
  T* operator->() { return &value(); }
  const T* operator->() const { return &value(); }
  const Error& error() const {
    assert(!ok());
    return std::get<Error>(state_);
  }

 private:
  std::variant<T, Error> state_;
};

/// Success without a value.
struct Done {};
using Status = Result<Done>;

inline Error invalidInput(std::string message) { return {ErrorKind::InvalidInput, std::move(message)}; }
inline Error unreadable(std::string message) { return {ErrorKind::Unreadable, std::move(message)}; }
inline Error cannotSolve(std::string message) { return {ErrorKind::CannotSolve, std::move(message)}; }
inline Error cannotWrite(std::string message) { return {ErrorKind::CannotWrite, std::move(message)}; }
inline Error cancelled() { return {ErrorKind::Cancelled, "Cancelled."}; }

}  // namespace dusky
