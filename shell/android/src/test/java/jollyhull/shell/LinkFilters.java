package jollyhull.shell;

import android.app.Application;
import android.content.Intent;
import android.content.IntentFilter;
import android.content.pm.PackageManager;
import android.content.pm.ResolveInfo;
import android.content.res.Resources;
import android.content.res.XmlResourceParser;
import android.net.Uri;
import android.os.Build;

import org.xmlpull.v1.XmlPullParser;

import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Set;

/** The intent filters of the packed app, as the framework's own parser reads them. */
final class LinkFilters {
    private LinkFilters() {}

    /** Whether the system would send a link to the app. */
    static boolean match(Application app, Uri url) throws Exception {
        if (Build.VERSION.SDK_INT < 35) {
            Intent link =
                    new Intent(Intent.ACTION_VIEW, url)
                            .addCategory(Intent.CATEGORY_BROWSABLE)
                            .addCategory(Intent.CATEGORY_DEFAULT)
                            .setPackage(app.getPackageName());
            List<ResolveInfo> found =
                    app.getPackageManager()
                            .queryIntentActivities(link, PackageManager.GET_RESOLVED_FILTER);
            return !found.isEmpty();
        }
        Set<String> categories =
                new HashSet<String>(
                        Arrays.asList(Intent.CATEGORY_BROWSABLE, Intent.CATEGORY_DEFAULT));
        for (IntentFilter filter : parsed(app)) {
            if (filter.match(Intent.ACTION_VIEW, null, url.getScheme(), url, categories, "test")
                    >= 0) {
                return true;
            }
        }
        return false;
    }

    /**
     * The test runner's package manager reads manifests with an older parser, which knows no
     * relative filter groups; from API 35 on the one that devices use is asked itself.
     */
    private static List<IntentFilter> parsed(Application app) throws Exception {
        String packages = "com.android.internal.pm.pkg.";
        Class<?> input = Class.forName("android.content.pm.parsing.result.ParseInput");
        Class<?> result = Class.forName("android.content.pm.parsing.result.ParseResult");
        Method parse =
                Class.forName(packages + "component.ParsedIntentInfoUtils")
                        .getMethod(
                                "parseIntentInfo",
                                String.class,
                                Class.forName(packages + "parsing.ParsingPackage"),
                                Resources.class,
                                XmlResourceParser.class,
                                boolean.class,
                                boolean.class,
                                input);
        Object reader =
                Class.forName("android.content.pm.parsing.result.ParseTypeImpl")
                        .getMethod("forDefaultParsing")
                        .invoke(null);
        List<IntentFilter> filters = new ArrayList<IntentFilter>();
        XmlResourceParser manifest = app.getAssets().openXmlResourceParser("AndroidManifest.xml");
        for (int event = manifest.next();
                event != XmlPullParser.END_DOCUMENT;
                event = manifest.next()) {
            if (event != XmlPullParser.START_TAG || !"intent-filter".equals(manifest.getName())) {
                continue;
            }
            reader.getClass().getMethod("reset").invoke(reader);
            Object parsed;
            try {
                parsed =
                        parse.invoke(
                                null, "", null, app.getResources(), manifest, true, true, reader);
            } catch (InvocationTargetException e) {
                throw new AssertionError(e.getCause());
            }
            Object info = result.getMethod("getResult").invoke(parsed);
            filters.add(
                    (IntentFilter)
                            Class.forName(packages + "component.ParsedIntentInfo")
                                    .getMethod("getIntentFilter")
                                    .invoke(info));
        }
        return filters;
    }
}
