package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertFalse;
import static org.junit.Assert.assertTrue;

import android.app.Application;
import android.content.Context;
import android.os.Build;

import org.junit.Before;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.RuntimeEnvironment;
import org.robolectric.annotation.Config;
import org.robolectric.util.ReflectionHelpers;
import org.robolectric.util.ReflectionHelpers.ClassParameter;

import java.io.File;
import java.util.Set;
import java.util.TreeSet;

/** What the platform itself makes of the package's rules about backups. */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24)
public class BackupTest {
    private static final String SCHEME = "android.app.backup.FullBackup$BackupScheme";
    private static final int TO_A_CLOUD = 0;
    private static final int TO_A_NEW_DEVICE = 1;

    private final Application app = RuntimeEnvironment.getApplication();

    /**
     * As the platform's own installer does from API 31 on; the parser that the tests run with does
     * not know the attribute.
     */
    @Before
    public void readTheRules() {
        if (Build.VERSION.SDK_INT >= 31) {
            int rules = app.getResources().getIdentifier("extraction", "xml", app.getPackageName());
            assertTrue("rules are in the package", rules != 0);
            ReflectionHelpers.setField(app.getApplicationInfo(), "dataExtractionRulesRes", rules);
        }
    }

    private Object scheme(int destination) throws ClassNotFoundException {
        Class<?> type = Class.forName(SCHEME);
        ClassParameter<?> context = ClassParameter.from(Context.class, app);
        return Build.VERSION.SDK_INT < 31
                ? ReflectionHelpers.callConstructor(type, context)
                : ReflectionHelpers.callConstructor(
                        type, context, ClassParameter.from(int.class, destination));
    }

    private static Set<String> excluded(Object scheme) {
        Set<?> paths =
                ReflectionHelpers.callInstanceMethod(
                        scheme, "maybeParseAndGetCanonicalExcludePaths");
        Set<String> found = new TreeSet<>();
        for (Object path : paths) {
            found.add(ReflectionHelpers.callInstanceMethod(path, "getPath"));
        }
        return found;
    }

    @Test
    @Config(maxSdk = 30)
    public void nothingIsCopied() throws Exception {
        boolean isOn =
                ReflectionHelpers.callInstanceMethod(
                        scheme(TO_A_CLOUD), "isFullBackupContentEnabled");
        assertFalse(isOn);
    }

    @Test
    @Config(minSdk = 31)
    public void nothingIsCopiedToACloud() throws Exception {
        Set<String> excluded = excluded(scheme(TO_A_CLOUD));
        Set<String> wanted = new TreeSet<>();
        Context locked =
                ReflectionHelpers.callInstanceMethod(
                        app, "createCredentialProtectedStorageContext");
        for (Context storage : new Context[] {locked, app.createDeviceProtectedStorageContext()}) {
            File data = storage.getDataDir();
            wanted.add(data.getCanonicalPath());
            wanted.add(storage.getFilesDir().getCanonicalPath());
            wanted.add(storage.getDatabasePath("visits").getParentFile().getCanonicalPath());
            wanted.add(new File(data, "shared_prefs").getCanonicalPath());
        }
        wanted.removeAll(excluded);
        assertEquals(excluded.toString(), new TreeSet<>(), wanted);
        assertTrue(excluded.toString(), excluded.size() > 8);
    }

    @Test
    @Config(minSdk = 31)
    public void allOfItMovesToANewDevice() throws Exception {
        Object scheme = scheme(TO_A_NEW_DEVICE);
        boolean isOn =
                ReflectionHelpers.callInstanceMethod(
                        scheme, "isFullBackupEnabled", ClassParameter.from(int.class, 0));
        assertTrue(isOn);
        assertEquals(new TreeSet<>(), excluded(scheme));
    }
}
