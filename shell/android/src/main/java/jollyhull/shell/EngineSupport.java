package jollyhull.shell;

import android.os.Build;
import android.util.Log;
import android.webkit.WebSettings;
import android.webkit.WebView;

import org.chromium.support_lib_boundary.JsReplyProxyBoundaryInterface;
import org.chromium.support_lib_boundary.WebMessageBoundaryInterface;
import org.chromium.support_lib_boundary.WebSettingsBoundaryInterface;
import org.chromium.support_lib_boundary.WebViewProviderBoundaryInterface;
import org.chromium.support_lib_boundary.WebViewProviderFactoryBoundaryInterface;
import org.chromium.support_lib_boundary.WebkitToCompatConverterBoundaryInterface;

import java.lang.reflect.InvocationHandler;
import java.lang.reflect.Method;
import java.lang.reflect.Proxy;
import java.util.Arrays;
import java.util.Collections;
import java.util.List;

/**
 * What newer engines can do and the framework's classes do not tell: scripts before a page's own,
 * messages of pages, passkeys, payment requests. Spoken with the engine directly, over the boundary
 * that it keeps for apps; an engine without it, or with another, is used without.
 */
final class EngineSupport {
    private static final String ENTRY = "org.chromium.support_lib_glue.SupportLibReflectionUtil";
    private static final String START_SCRIPTS = "DOCUMENT_START_SCRIPT:1";
    private static final String MESSAGES = "WEB_MESSAGE_LISTENER";
    private static final String PASSKEYS = "WEB_AUTHENTICATION";
    private static final String PAYMENTS = "PAYMENT_REQUEST";

    /** Passkeys of the hosts that the app is associated with. */
    private static final int FOR_APP = 1;

    private final WebViewProviderFactoryBoundaryInterface factory;
    private final List<String> features;

    private EngineSupport(WebViewProviderFactoryBoundaryInterface factory) {
        this.factory = factory;
        features =
                factory == null
                        ? Collections.<String>emptyList()
                        : Arrays.asList(factory.getSupportedFeatures());
    }

    /**
     * @param engine the engine's own loader of classes; null where it is not known
     */
    static EngineSupport of(ClassLoader engine) {
        try {
            if (engine != null) {
                Class<?> entry = Class.forName(ENTRY, false, engine);
                Object handler =
                        entry.getDeclaredMethod("createWebViewProviderFactory").invoke(null);
                return new EngineSupport(
                        as(WebViewProviderFactoryBoundaryInterface.class, handler));
            }
        } catch (ReflectiveOperationException | RuntimeException | LinkageError e) {
            Log.i("hull", "No support library in the web view", e);
        }
        return new EngineSupport(null);
    }

    /** The loader of the engine's classes; null where it is not to be had. */
    static ClassLoader loader() {
        try {
            if (Build.VERSION.SDK_INT >= 28) {
                return WebView.getWebViewClassLoader();
            }
            Method factory = WebView.class.getDeclaredMethod("getFactory");
            factory.setAccessible(true);
            return factory.invoke(null).getClass().getClassLoader();
        } catch (ReflectiveOperationException | RuntimeException | LinkageError e) {
            Log.i("hull", "No class loader of the web view", e);
            return null;
        }
    }

    private static <T> T as(Class<T> type, Object handler) {
        return type.cast(
                Proxy.newProxyInstance(
                        type.getClassLoader(), new Class<?>[] {type}, (InvocationHandler) handler));
    }

    private boolean has(String feature) {
        return features.contains(feature) || features.contains(feature + ":dev");
    }

    /**
     * Runs a script in each document of some origins before any of its own.
     *
     * @param origins {@code https://host}, {@code https://*.host}
     * @return false where the engine cannot
     */
    boolean runAtStart(WebView view, String script, String[] origins) {
        if (!has(START_SCRIPTS)) {
            return false;
        }
        try {
            view(view).addDocumentStartJavaScript(script, origins);
            return true;
        } catch (RuntimeException | LinkageError e) {
            Log.w("hull", "No scripts at document start", e);
            return false;
        }
    }

    /** What the main frame of a page sends. On the main thread. */
    interface Listener {
        void said(String text, JsReplyProxyBoundaryInterface reply);
    }

    /**
     * Gives the pages of some origins an object to send messages by; frames of others find none.
     *
     * @return false where the engine cannot, or cannot run what pages need beside it
     */
    boolean listen(WebView view, String name, String[] origins, final Listener listener) {
        if (!has(MESSAGES) || !has(START_SCRIPTS)) {
            return false;
        }
        try {
            view(view)
                    .addWebMessageListener(
                            name,
                            origins,
                            new InvocationHandler() {
                                @Override
                                public Object invoke(Object proxy, Method asked, Object[] given) {
                                    return answer(listener, asked.getName(), given);
                                }
                            });
            return true;
        } catch (RuntimeException | LinkageError e) {
            Log.w("hull", "No message listener", e);
            return false;
        }
    }

    /** As the engine calls {@code WebMessageListenerBoundaryInterface}, by the names of methods. */
    private static Object answer(Listener listener, String asked, Object[] given) {
        if (asked.equals("onPostMessage") && Boolean.TRUE.equals(given[3])) {
            listener.said(
                    as(WebMessageBoundaryInterface.class, given[1]).getData(),
                    as(JsReplyProxyBoundaryInterface.class, given[4]));
        }
        return asked.equals("getSupportedFeatures") ? new String[] {MESSAGES} : null;
    }

    private WebViewProviderBoundaryInterface view(WebView view) {
        return as(WebViewProviderBoundaryInterface.class, factory.createWebView(view));
    }

    private WebSettingsBoundaryInterface settings(WebSettings settings) {
        return as(
                WebSettingsBoundaryInterface.class,
                as(
                                WebkitToCompatConverterBoundaryInterface.class,
                                factory.getWebkitToCompatConverter())
                        .convertSettings(settings));
    }

    /**
     * Passkeys (Web Authentication) and payments (Payment Request) for pages, as far as the engine
     * has them.
     */
    void allow(WebSettings web, boolean passkeys) {
        try {
            if (passkeys && has(PASSKEYS)) {
                settings(web).setWebauthnSupport(FOR_APP);
            }
            if (has(PAYMENTS)) {
                settings(web).setPaymentRequestEnabled(true);
            }
        } catch (RuntimeException | LinkageError e) {
            Log.w("hull", "No further settings", e);
        }
    }
}
