package org.chromium.support_lib_boundary;

/** What a page sent. */
public interface WebMessageBoundaryInterface {
    String getData();
}
