package org.chromium.support_lib_boundary;

import java.lang.reflect.InvocationHandler;

/** One view, as the engine has it. */
public interface WebViewProviderBoundaryInterface {
    InvocationHandler addDocumentStartJavaScript(String script, String[] allowedOriginRules);
}
