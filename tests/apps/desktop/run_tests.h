#pragma once
#include <gtest/gtest.h>

#include <QApplication>

#include "apps/desktop/paint/theme.h"
#include "tests/apps/desktop/window_driver.h"

namespace dusky::testing {

/// The main function of a test program that needs a QApplication, looking as the real one does.
inline int runTests(int argc, char** argv) {
  prepareApplication();
  QApplication application(argc, argv);
  desktop::applyTheme(application);
  ::testing::InitGoogleTest(&argc, argv);
  return RUN_ALL_TESTS();
}

}  // namespace dusky::testing
