package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertTrue;

import com.googlecode.d2j.dex.Dex2jar;

import org.junit.Test;
import org.objectweb.asm.ClassReader;
import org.objectweb.asm.ClassWriter;

import java.io.IOException;
import java.io.InputStream;
import java.net.URL;
import java.net.URLClassLoader;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.Paths;
import java.util.ArrayList;
import java.util.Enumeration;
import java.util.List;
import java.util.jar.JarEntry;
import java.util.jar.JarFile;

/**
 * The dex that packages carry, translated back by a reader that others wrote; the JVM's verifier
 * accepts every class.
 */
public class DexTest {
    @Test
    public void everyClassOfTheWebviewShellVerifies() throws Exception {
        verify("dist/webview.dex");
    }

    @Test
    public void everyClassOfThePlainShellVerifies() throws Exception {
        verify("dist/plain.dex");
    }

    @Test
    public void everyClassOfTheBrowserShellVerifies() throws Exception {
        verify("dist/browser.dex");
    }

    @Test
    public void everyClassOfTheShellWithoutAViewVerifies() throws Exception {
        List<String> names = verify("dist/tabs.dex");
        assertTrue(names.toString(), names.contains("jollyhull.shell.BrowserActivity"));
        assertFalse(names.toString(), names.contains("jollyhull.shell.PageActivity"));
    }

    @Test
    public void everyClassOfTheShellThatSellsVerifies() throws Exception {
        List<String> names = verify("dist/shop.dex");
        assertTrue(names.toString(), names.contains("jollyhull.shell.PayActivity"));
        assertTrue(names.toString(), names.contains("jollyhull.shell.PayService"));
        assertFalse(
                names.toString(),
                verify("dist/browser.dex").contains("jollyhull.shell.PayActivity"));
    }

    private static List<String> verify(String dex) throws Exception {
        Path jar = Files.createTempFile("shell", ".jar");
        Files.delete(jar);
        Dex2jar.from(Files.readAllBytes(Paths.get(dex))).to(jar);
        List<String> names = new ArrayList<>();
        try (JarFile file = new JarFile(jar.toFile())) {
            for (Enumeration<JarEntry> all = file.entries(); all.hasMoreElements(); ) {
                String name = all.nextElement().getName();
                if (name.endsWith(".class")) {
                    names.add(
                            name.substring(0, name.length() - ".class".length()).replace('/', '.'));
                }
            }
        }
        assertTrue(names.size() + " classes", names.size() > MOST_OF_THEM);
        int verified = 0;
        // The translated classes before those of the build, the framework's from the class path.
        try (URLClassLoader loader =
                new OwnFirst(jar.toUri().toURL(), DexTest.class.getClassLoader())) {
            for (String name : names) {
                Class<?> loaded = loader.loadClass(name);
                assertEquals("the translated class", loader, loaded.getClassLoader());
                try {
                    Class.forName(name, true, loader);
                } catch (ExceptionInInitializerError | UnsatisfiedLinkError e) {
                    // Verified, and then stopped by what only a device has.
                    assertTrue(
                            String.valueOf(e.getCause()), !(e.getCause() instanceof VerifyError));
                }
                verified++;
            }
        } finally {
            Files.deleteIfExists(jar);
        }
        assertEquals(names.size(), verified);
        return names;
    }

    private static final int MOST_OF_THEM = 20;

    /**
     * Class file version of Java 5: its verifier works out types by itself, as a translation has no
     * frames to check.
     */
    private static final int JAVA_5 = 49;

    private static final class OwnFirst extends URLClassLoader {
        OwnFirst(URL jar, ClassLoader parent) {
            super(new URL[] {jar}, parent);
        }

        @Override
        protected Class<?> loadClass(String name, boolean resolve) throws ClassNotFoundException {
            if (!name.startsWith("jollyhull.")
                    && !name.startsWith("hull.")
                    && !name.startsWith("org.chromium.")) {
                return super.loadClass(name, resolve);
            }
            Class<?> there = findLoadedClass(name);
            if (there != null) {
                return there;
            }
            try (InputStream in = findResource(name.replace('.', '/') + ".class").openStream()) {
                // The translation leaves sizes open, and code behind a throw that nothing reaches.
                ClassWriter writer =
                        new ClassWriter(ClassWriter.COMPUTE_FRAMES) {
                            @Override
                            protected String getCommonSuperClass(String one, String other) {
                                return "java/lang/Object";
                            }
                        };
                new ClassReader(in).accept(writer, 0);
                byte[] bytes = writer.toByteArray();
                bytes[6] = 0;
                bytes[7] = JAVA_5;
                return defineClass(name, bytes, 0, bytes.length);
            } catch (IOException e) {
                throw new ClassNotFoundException(name, e);
            }
        }
    }
}
