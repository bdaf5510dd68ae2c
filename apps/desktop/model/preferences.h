#pragma once
#include <QObject>
#include <QString>

namespace dusky::desktop {

enum class LengthUnit { Metres, Centimetres, Feet };

/// What a user wants of this machine and screen; no shot knows of it.
struct PreferenceValues {
  int threads = 0;            ///< At most; 0: all cores.
  int frame_memory_mb = 768;  ///< That frames once read may take.
  LengthUnit unit = LengthUnit::Metres;
  int error_decimals = 2;   ///< Of errors in px, 1 to 4.
  int scale_percent = 100;  ///< Of text and controls, 75 to 300; from the next start on.
  bool high_contrast = false;
  bool operator==(const PreferenceValues&) const = default;
};

/// The preferences of the user, kept in the settings file. Interface thread only.
class Preferences : public QObject {
  Q_OBJECT
 public:
  static Preferences& instance();
  const PreferenceValues& values() const { return values_; }
  /// Keeps them and tells; what is out of range is brought into it.
  void set(const PreferenceValues& values);

  /// As the settings file has them, also before there is an application.
  static PreferenceValues stored();

 signals:
  void changed();

 private:
  Preferences() : values_(stored()) {}
  PreferenceValues values_;
};

/// "0.42", with as many decimals as wanted and `more` of them; "–" where it is not known. The unit px stands beside it.
QString pxText(double error_px, int more = 0);
/// How many of the unit a metre is, and the unit's sign: "m", "cm", "ft".
double unitsPerMetre();
QString unitSign();
/// "1.25 m" in the unit wanted, with so many digits.
QString lengthText(double metres, int digits = 4);

}  // namespace dusky::desktop
