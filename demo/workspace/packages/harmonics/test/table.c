#include <harmonics.h>
#include <stdio.h>

int main(void) {
  struct harmonics_constituent bar[] = {{1.42, 28.9841042, 312}, {0.46, 30, 351}};
  printf("harmonics %s: %.2f m at the bar\n", harmonics_version(), harmonics_height(2.1, bar, 2, 0));
  return 0;
}
