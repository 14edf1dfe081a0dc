package org.chromium.support_lib_boundary;

import android.webkit.WebSettings;

import java.lang.reflect.InvocationHandler;

/** From the framework's objects to the engine's. */
public interface WebkitToCompatConverterBoundaryInterface {
    /** A {@link WebSettingsBoundaryInterface}. */
    InvocationHandler convertSettings(WebSettings settings);
}
