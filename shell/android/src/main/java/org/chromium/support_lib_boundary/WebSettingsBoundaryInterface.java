package org.chromium.support_lib_boundary;

/** Settings that the framework's class does not have. */
public interface WebSettingsBoundaryInterface {
    /**
     * @param support 1 for the app that is associated with the host (Digital Asset Links, {@code
     *     get_login_creds})
     */
    void setWebauthnSupport(int support);

    void setPaymentRequestEnabled(boolean enabled);
}
