#include "harmonics.h"

#include <math.h>

double harmonics_height(double mean, const struct harmonics_constituent *constituents, int count, double hours) {
  const double degree = 3.14159265358979323846 / 180;
  double height = mean;
  for (int i = 0; i < count; i++) {
    height += constituents[i].amplitude * cos((constituents[i].speed * hours - constituents[i].phase) * degree);
  }
  return height;
}

const char *harmonics_version(void) { return HARMONICS_VERSION; }
