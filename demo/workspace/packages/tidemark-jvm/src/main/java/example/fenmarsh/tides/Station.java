package example.fenmarsh.tides;

/** A station: mean level in metres, and per constituent amplitude, speed in degrees per hour, phase in degrees. */
public final class Station {
  public static final Station BAR =
      new Station("Fenmarsh Bar", 2.1, new double[][] {{1.42, 28.9841042, 312}, {0.46, 30, 351}});

  public final String name;
  private final double mean;
  private final double[][] constituents;

  Station(String name, double mean, double[][] constituents) {
    this.name = name;
    this.mean = mean;
    this.constituents = constituents;
  }

  /** Height in metres above Fenmarsh Datum, so many hours after the beginning of the year 2000 (UTC). */
  public double heightAt(double hours) {
    double height = mean;
    for (double[] one : constituents) height += one[0] * Math.cos(Math.toRadians(one[1] * hours - one[2]));
    return height;
  }
}
