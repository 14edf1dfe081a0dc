import java.io.IOException;
import java.io.OutputStream;
import java.net.URI;
import java.nio.file.FileSystems;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.Paths;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import java.util.zip.ZipEntry;
import java.util.zip.ZipOutputStream;

/**
 * Writes the running JDK's java.* classes into a jar, so that what makes the shell small knows
 * which methods the library calls by name: not every JDK has its classes as files. Their version is
 * set to Java 8's, which every reader knows; only names and types in them are read.
 *
 * <p>java LibraryClasses.java <jar>
 */
public class LibraryClasses {
    private static final byte JAVA_8 = 52;

    public static void main(String[] arguments) throws IOException {
        Path base =
                FileSystems.getFileSystem(URI.create("jrt:/")).getPath("/modules/java.base/java");
        List<Path> files;
        try (Stream<Path> walk = Files.walk(base)) {
            files =
                    walk.filter(path -> path.toString().endsWith(".class"))
                            .sorted()
                            .collect(Collectors.toList());
        }
        Path jar = Paths.get(arguments[0]);
        Files.createDirectories(jar.getParent());
        try (OutputStream out = Files.newOutputStream(jar);
                ZipOutputStream zip = new ZipOutputStream(out)) {
            for (Path file : files) {
                byte[] bytes = Files.readAllBytes(file);
                // Minor version, then major (JVMS, section 4.1).
                bytes[4] = bytes[5] = bytes[6] = 0;
                bytes[7] = JAVA_8;
                zip.putNextEntry(new ZipEntry("java/" + base.relativize(file)));
                zip.write(bytes);
                zip.closeEntry();
            }
        }
    }
}
