package example.fenmarsh.tides;

import java.time.Duration;
import java.time.Instant;

/** Prints the height of the tide now. */
public final class TideTable {
  public static void main(String[] arguments) {
    Instant epoch = Instant.parse("2000-01-01T00:00:00Z");
    Instant now = arguments.length > 0 ? Instant.parse(arguments[0]) : Instant.now();
    double hours = Duration.between(epoch, now).toSeconds() / 3600.0;
    String version = TideTable.class.getPackage().getImplementationVersion();
    System.out.printf(java.util.Locale.ROOT, "tidemark-jvm %s: %s %.2f m%n", version, Station.BAR.name, Station.BAR.heightAt(hours));
  }
}
