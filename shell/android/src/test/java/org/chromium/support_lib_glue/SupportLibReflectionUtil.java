package org.chromium.support_lib_glue;

import java.lang.reflect.InvocationHandler;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;

/** An engine's entry as the shell finds it; what is behind it is a test's. */
public final class SupportLibReflectionUtil {
    public static volatile Object engine;

    private SupportLibReflectionUtil() {}

    public static InvocationHandler createWebViewProviderFactory() {
        return handlerOf(engine);
    }

    /**
     * As an engine answers: by the names of interface, method and parameters, found by its own
     * loader of classes.
     */
    public static InvocationHandler handlerOf(final Object behind) {
        return new InvocationHandler() {
            @Override
            public Object invoke(Object proxy, Method asked, Object[] arguments) throws Throwable {
                Class<?> owner =
                        Class.forName(
                                asked.getDeclaringClass().getName(),
                                true,
                                behind.getClass().getClassLoader());
                Method own = owner.getDeclaredMethod(asked.getName(), asked.getParameterTypes());
                try {
                    return own.invoke(behind, arguments);
                } catch (InvocationTargetException e) {
                    throw e.getTargetException();
                }
            }
        };
    }
}
