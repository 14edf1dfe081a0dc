package org.chromium.support_lib_boundary;

import android.webkit.WebView;

import java.lang.reflect.InvocationHandler;

/**
 * The engine's side of what it can do beyond the framework's classes; it finds its methods by these
 * names.
 */
public interface WebViewProviderFactoryBoundaryInterface {
    /** A {@link WebViewProviderBoundaryInterface}. */
    InvocationHandler createWebView(WebView view);

    /** A {@link WebkitToCompatConverterBoundaryInterface}. */
    InvocationHandler getWebkitToCompatConverter();

    String[] getSupportedFeatures();
}
