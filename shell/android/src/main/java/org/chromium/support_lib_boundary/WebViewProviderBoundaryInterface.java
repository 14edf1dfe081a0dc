package org.chromium.support_lib_boundary;

import java.lang.reflect.InvocationHandler;

/** One view, as the engine has it. */
public interface WebViewProviderBoundaryInterface {
    InvocationHandler addDocumentStartJavaScript(String script, String[] allowedOriginRules);

    /**
     * @param listener answers {@code onPostMessage(WebView, InvocationHandler message, Uri origin,
     *     boolean isMainFrame, InvocationHandler reply)} and {@code getSupportedFeatures()}
     */
    void addWebMessageListener(
            String jsObjectName, String[] allowedOriginRules, InvocationHandler listener);
}
