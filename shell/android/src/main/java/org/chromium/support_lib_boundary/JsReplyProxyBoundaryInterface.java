package org.chromium.support_lib_boundary;

/** The way back to the frame that sent a message. */
public interface JsReplyProxyBoundaryInterface {
    void postMessage(String message);
}
