#ifndef HARMONICS_H
#define HARMONICS_H

#define HARMONICS_VERSION "0.0.0"
#define HARMONICS_VERSION_MAJOR 0
#define HARMONICS_VERSION_MINOR 0
#define HARMONICS_VERSION_PATCH 0

/** One constituent: amplitude in metres, speed in degrees per hour, phase in degrees. */
struct harmonics_constituent {
  double amplitude;
  double speed;
  double phase;
};

/** Height in metres, so many hours after the beginning of the year 2000 (UTC). */
double harmonics_height(double mean, const struct harmonics_constituent *constituents, int count, double hours);

/** The version of the library that is loaded. */
const char *harmonics_version(void);

#endif
