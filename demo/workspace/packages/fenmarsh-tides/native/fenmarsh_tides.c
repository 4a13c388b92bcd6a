#include <math.h>

/* Height of one constituent in metres: amplitude in metres, speed in degrees per hour, phase in degrees. */
double fenmarsh_tides_constituent(double amplitude, double speed, double phase, double hours) {
  return amplitude * cos((speed * hours - phase) * 3.14159265358979323846 / 180);
}
