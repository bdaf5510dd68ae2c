#pragma once
#include <QString>
#include <string>

namespace dusky::desktop {

/// "focal length, px" for focal_px ...
QString scalarName(const std::string& parameter);

}  // namespace dusky::desktop
